package formhttp

import (
	"cmp"
	"net/http"
	"slices"
	"strconv"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// contest makes of a page that was sent over another version of its record the page on which the
// applicant chooses: the newest record, what was typed, and both values of each answer that differs.
// The page does not know over which values its own were typed, so that each is asked about.
func (h *Handler) contest(v *visit, s *sent) *visit {
	return h.contested(v, s, func(string) bool { return true })
}

// contested opens a session with what was typed, over the record that is saved: what is chosen is
// contested, and the rest is an edit of it.
func (h *Handler) contested(v *visit, s *sent, chosen func(path string) bool) *visit {
	kept := &lifecycle.Draft{}
	whole := map[form.FieldID]*lifecycle.DraftGroup{}
	for f := range v.session.Fields() {
		id, path := f.Place().Field, f.Path()
		group, inRows := h.form.Group(id)
		switch {
		case f.Declared().Private: // it stands in no page
		case f.Declared().Kind == form.KindRows && f.Dirty():
			kept.Groups = append(kept.Groups, lifecycle.DraftGroup{
				Path: path, Rows: make([][]lifecycle.DraftAnswer, f.Rows()), Now: int32(f.Rows()), Based: true, Contested: chosen(path),
			})
			whole[id] = &kept.Groups[len(kept.Groups)-1]
			if beyond, marked := h.form.BeyondOf(id); marked {
				for row := range whole[id].Rows {
					if of, there := v.session.At(form.Place{Field: beyond, Row: int32(row)}); there {
						whole[id].Rows[row] = append(whole[id].Rows[row], lifecycle.DraftAnswer{Path: of.Declared().Path, Raw: of.Raw(), Clean: true})
					}
				}
			}
		case f.Declared().Kind == form.KindRows:
		case inRows && whole[group] != nil:
			row := &whole[group].Rows[f.Place().Row]
			*row = append(*row, lifecycle.DraftAnswer{Path: f.Declared().Path, Raw: f.Raw()})
		case f.Dirty():
			kept.Values = append(kept.Values, lifecycle.DraftAnswer{Path: path, Raw: f.Raw(), Baseline: f.Baseline(), Contested: chosen(path)})
		}
	}
	session, opening := lifecycle.Open(h.form, lifecycle.Seed{})
	next := &visit{form: h.form, request: v.request, session: session, ids: v.ids, home: v.home, key: v.key, account: v.account, record: v.record}
	load := slices.IndexFunc(opening, func(e lifecycle.Effect) bool { return e.Kind == lifecycle.EffectLoad })
	request := opening[load].Request
	next.apply(lifecycle.Restore(kept))
	next.apply(lifecycle.Loaded(request, replies.Values(h.form, v.record), v.session.Version()))
	h.fill(next, s)
	next.condition = tagOf(v.session.Version())
	return next
}

// chooses is a page whose applicant has still to choose, over the version that it has seen. Where the record was
// changed once more, everything is asked about anew, and a choice that comes with it is none.
func (h *Handler) chooses(v *visit, s *sent) *visit {
	if len(s.contested) == 0 {
		return v
	}
	if _, same := matched(v.condition, v.session.Version()); !same {
		if s.change != nil && s.change.Kind == lifecycle.EventResolve {
			*s.change = lifecycle.Blur(s.change.Path)
		}
		return h.contest(v, s)
	}
	return h.contested(v, s, func(path string) bool { return slices.Contains(s.contested, path) })
}

// outdated is what a page shows and says where its submission came too late: the newest record beside
// what was typed. It is v itself where there is no record to be had.
func (h *Handler) outdated(v *visit, s *sent) (shown *visit, says string) {
	if !h.form.Prefill.Loads() || h.o.Load == nil {
		return v, ""
	}
	newest := h.begin(v.request)
	if newest.session.Version() == "" || newest.session.Prefill() != lifecycle.PrefillReady {
		return v, ""
	}
	h.fill(newest, s)
	newest.ids, newest.home, newest.key, newest.account = v.ids, v.home, v.key, v.account
	next := h.contest(newest, s)
	count := int32(0)
	for f := range next.session.Fields() {
		if f.Contested() {
			count++
		}
	}
	if count == 0 {
		return next, h.form.Words(form.MessageOutdatedSame)
	}
	return next, h.form.Text(form.Message{ID: form.MessageBlockedContested, Count: count})
}

// choiceView is an answer that is contested, with both values.
type choiceView struct {
	Path, Label, Mine, Theirs string
	Buttons                   [2]buttonView // which keep the one or take the other
}

func (h *Handler) choiceViews(v *visit) (list []choiceView) {
	nothing := h.form.Words(form.MessageNothing)
	for f := range v.session.Fields() {
		if !f.Contested() {
			continue
		}
		view := choiceView{Path: f.Path(), Label: f.Declared().Label, Mine: cmp.Or(f.Declared().Readable(f.Value()), nothing), Theirs: cmp.Or(f.Declared().Readable(f.Baseline()), nothing)}
		if f.Place().Row >= 0 {
			group, _ := h.form.Group(f.Place().Field)
			view.Label = h.form.Fields[group].Label + " " + strconv.Itoa(int(f.Place().Row)+1) + ", " + view.Label
		}
		if f.Declared().Kind == form.KindRows {
			view.Mine, view.Theirs = h.form.CountedWords(form.MessageRows, f.Rows()), h.form.CountedWords(form.MessageRows, f.SavedRows())
		}
		view.Buttons = [2]buttonView{{markup.Mine, view.Path, h.form.Words(form.MessageKeepMine)}, {markup.Theirs, view.Path, h.form.Words(form.MessageTakeTheirs)}}
		list = append(list, view)
	}
	return list
}

// needsVersion reports whether a submission says over which version of a saved record it goes, where it has
// to: without one it could go over somebody else's work.
func (h *Handler) needsVersion(v *visit, s *sent) bool {
	return !h.form.Submit.Creates() && s.version == "" && v.session.Version() != ""
}

// unversioned answers a submission that says no version.
func (h *Handler) unversioned(v *visit, s *sent) outcome {
	if v.json {
		return h.refusal(http.StatusPreconditionRequired, form.MessageNeedsVersion)
	}
	shown, says := h.outdated(v, s)
	return outcome{status: http.StatusPreconditionRequired, judged: true, says: says}.on(shown)
}
