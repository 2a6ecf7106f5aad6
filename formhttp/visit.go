package formhttp

import (
	"errors"
	"io/fs"
	"net/url"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// visit is one request's session.
type visit struct {
	*request
	form      *form.Form
	session   *lifecycle.Session
	ids       markup.IDs
	home      string // the address of its handler; empty means that of the request
	key       string
	account   string         // the digest of whose work it is; empty means that of the request
	condition string         // the version that was sent, as an If-Match (RFC 9110, section 13.1.1); empty means that none was
	missing   bool           // the application has no such record
	record    map[string]any // what is saved
	unread    *sent          // what was sent while nothing that is saved was read; nil means that it was read
}

// admit is why a request is turned away; nil means that it goes on.
func (h *Handler) admit(q *request) *Answer {
	if h.o.Admit == nil {
		return nil
	}
	return h.o.Admit(q.Request)
}

// begin opens a session for somebody who is admitted, with the saved record where there is one.
func (h *Handler) begin(q *request) *visit {
	missing := false
	var record map[string]any
	v := h.opened(q, func(request lifecycle.RequestID) (loaded lifecycle.Event) {
		var err error
		record, loaded, err = h.load(q, request)
		missing = errors.Is(err, fs.ErrNotExist)
		return loaded
	})
	v.missing, v.record = missing, record
	return v
}

// opened opens a session, whose load is answered as somebody says; nil means that it is not.
func (h *Handler) opened(q *request, answer func(lifecycle.RequestID) lifecycle.Event) *visit {
	session, opening := lifecycle.Open(h.form, lifecycle.Seed{})
	v := &visit{form: h.form, request: q, session: session, ids: markup.Page}
	load := slices.IndexFunc(opening, func(e lifecycle.Effect) bool { return e.Kind == lifecycle.EffectLoad })
	if load >= 0 && answer != nil {
		v.apply(answer(opening[load].Request))
	}
	return v
}

// saved is what the application has saved, and its version. That it could not be loaded is
// logged.
func (h *Handler) saved(q *request) (record map[string]any, version string, err error) {
	record, version, err = h.o.Load(q.Request)
	if err == nil && h.form.Submit.Undeclared { // what the form does not know goes back as it was
		record, err = plainJSON(record)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		h.o.Log.Warn("the saved answers could not be loaded", "form", h.form.Name, "error", err)
	}
	return record, version, err
}

func (h *Handler) load(q *request, request lifecycle.RequestID) (map[string]any, lifecycle.Event, error) {
	if h.o.Load == nil {
		return nil, lifecycle.Loaded(request, nil, ""), nil
	}
	record, version, err := h.saved(q)
	if err != nil {
		return nil, lifecycle.LoadFailed(request, "the application"), err
	}
	return record, lifecycle.Loaded(request, replies.Values(h.form, record), version), nil
}

// apply takes an event; what the form turns away changes nothing.
func (v *visit) apply(e lifecycle.Event) []lifecycle.Effect {
	effects, err := v.session.Apply(e)
	if err != nil {
		return nil
	}
	return effects
}

// fill types what was sent.
func (h *Handler) fill(v *visit, s *sent) {
	for path := range s.rows {
		group, _ := h.form.FieldAt(path)
		h.arrange(v, s, group)
	}
	var edits []lifecycle.Event
	for f := range v.session.Fields() {
		raw, given := s.at(f.Place())
		kind := f.Declared().Kind
		switch {
		case kind == form.KindRows:
			continue
		case !given && !s.whole && kind != form.KindBoolean && kind != form.KindChoices:
			continue // no control of it was sent; an unticked box sends nothing
		case !given && s.patch:
			continue // what a merge patch does not mention stays
		}
		if raw != f.Raw() {
			edits = append(edits, lifecycle.Edit(f.Path(), raw))
		}
	}
	for _, e := range edits {
		v.apply(e)
	}
}

// send submits. Checks have no say here: the application has the last word. It
// returns the Send, or nil where something holds.
func (v *visit) send(button string) *lifecycle.Effect {
	effects := v.apply(lifecycle.Submit(button))
	for {
		var checks []lifecycle.RequestID
		for k := range effects {
			switch effects[k].Kind {
			case lifecycle.EffectSend:
				send := effects[k]
				send.Values = append([]form.Answer(nil), send.Values...)
				return &send
			case lifecycle.EffectCheck:
				checks = append(checks, effects[k].Request)
			}
		}
		if len(checks) == 0 {
			return nil
		}
		for _, request := range checks {
			effects = v.apply(lifecycle.CheckFailed(request))
		}
	}
}

// address is the path of the form's page, with a prefix that [http.StripPrefix] has taken from it.
// It begins with one slash: two would be another host (RFC 3986, section 4.2).
func (v *visit) address() string {
	if v.home != "" {
		return v.home
	}
	path := v.request.URL.EscapedPath()
	if asked, err := url.ParseRequestURI(v.request.RequestURI); err == nil && strings.HasSuffix(asked.EscapedPath(), path) {
		path = asked.EscapedPath()
	}
	return "/" + strings.TrimLeft(path, "/")
}

// version is what the values are based on, as the application has it.
func (v *visit) version() string {
	version, _ := matched(v.condition, v.session.Version())
	return version
}

// issues lists what is wrong, each with its pointer.
func (v *visit) issues() []problemEntry {
	var list []problemEntry
	add := func(issues []lifecycle.Issue) {
		for _, issue := range issues {
			pointer := "#"
			if issue.Path != "" {
				pointer = "#/" + issue.Path
			}
			list = append(list, problemEntry{pointer, issue.Code, issue.Text})
		}
	}
	add(v.session.FormIssues())
	for f := range v.session.Fields() {
		if f.Asked() {
			add(f.Issues())
		}
	}
	return list
}
