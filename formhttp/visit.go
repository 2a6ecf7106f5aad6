package formhttp

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/lifecycle"
)

// visit is one request's session.
type visit struct {
	form      *form.Form
	request   *http.Request
	session   *lifecycle.Session
	ids       markup.IDs
	home      string // the address of its handler; empty means that of the request
	key       string
	account   string         // the digest of whose work it is; empty means that of the request
	condition string         // the version that was sent, as an If-Match (RFC 9110, section 13.1.1); empty means that none was
	received  bool           // the last submission was accepted
	receipt   string         // the address of what was received
	missing   bool           // the application has no such record
	record    map[string]any // what is saved
	says      string         // what went wrong with the request; empty means what the session says
}

// sent is what a request carries.
type sent struct {
	key, version, button string
	account              string            // the digest of whose work it is; empty means that it is not said
	values               map[string]string // by control name, as typed; several are lines
	rows                 map[string]int    // by group: how many
	change               *lifecycle.Event  // a row is added or removed; nothing is submitted
	whole, patch         bool              // as JSON: a whole record, or a merge patch (RFC 7396)
	json                 bool
	beyond               []member       // of a JSON body: what the form does not have
	contested            []string       // of a page: the answers that the applicant has to choose about
	wrong                []problemEntry // what cannot be taken for an answer of its field at all
}

var errTooMany = errors.New("too many fields")

// read reads a request's body: urlencoded, multipart or JSON.
func (h *Handler) read(r *http.Request) (*sent, error) {
	kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if err != nil {
		return nil, errors.New("the request says no Content-Type")
	}
	s := &sent{json: strings.HasSuffix(kind, "json"), key: r.Header.Get("Idempotency-Key"), version: r.Header.Get("If-Match"), account: r.Header.Get(markup.AccountHeader), rows: map[string]int{}, values: map[string]string{}}
	switch kind {
	case "application/json", "application/merge-patch+json":
		return s, h.readJSON(r, s)
	case "application/x-www-form-urlencoded":
		text, err := io.ReadAll(r.Body)
		if err != nil {
			return nil, err
		}
		if bytes.Count(text, []byte("&")) >= h.o.MaxFields { // before anything is made of them
			return nil, errTooMany
		}
		if r.PostForm, err = url.ParseQuery(string(text)); err != nil {
			return nil, err
		}
	case "multipart/form-data":
		if err := r.ParseMultipartForm(4 << 20); err != nil {
			return nil, err
		}
		for name, files := range r.MultipartForm.File {
			for _, f := range files {
				if f.Filename != "" {
					r.PostForm.Add(name, f.Filename)
				}
			}
		}
	default:
		return nil, fmt.Errorf("found Content-Type %q; right would be application/x-www-form-urlencoded, multipart/form-data or application/json", kind)
	}
	return s, h.readForm(r.PostForm, s)
}

func (h *Handler) readForm(posted url.Values, s *sent) error {
	count := 0
	for name, values := range posted {
		if count += len(values); count > h.o.MaxFields {
			return errTooMany
		}
		place, known := h.form.Lookup(name)
		if markup.Own(name) || !known {
			continue
		}
		field := &h.form.Fields[place.Field]
		wrong := func(what string) {
			s.wrong = append(s.wrong, problemEntry{"#/" + name, "badInput", cmp.Or(field.Label, name) + what})
		}
		switch n, err := strconv.Atoi(values[0]); {
		case field.Kind == form.KindRows && place.Row >= 0:
		case len(values) > 1 && field.Kind != form.KindChoices:
			wrong(fmt.Sprintf(" was sent %d times, and takes one answer.", len(values)))
		case field.Kind != form.KindRows:
			s.values[name] = strings.ReplaceAll(strings.Join(values, "\n"), "\r\n", "\n") // a browser sends CRLF
		case err != nil || n < 0 || n > maxRows:
			wrong(fmt.Sprintf(" has %.20q rows, and can have 0 to %d.", values[0], maxRows))
		default:
			s.rows[name] = n
		}
	}
	h.checkRows(s)
	s.key = cmp.Or(s.key, posted.Get(markup.Key))
	s.version = cmp.Or(s.version, posted.Get(markup.Version))
	s.account = cmp.Or(s.account, posted.Get(markup.Account))
	s.button = posted.Get(markup.Button)
	s.contested = posted[markup.Contested]
	for name, event := range map[string]func(value string) lifecycle.Event{
		markup.Add:    lifecycle.AddRow,
		markup.Move:   func(value string) lifecycle.Event { return lifecycle.MoveRow(markup.MoveOf(value)) },
		markup.Remove: lifecycle.RemoveRow,
		markup.Mine:   func(path string) lifecycle.Event { return lifecycle.Resolve(path, lifecycle.ChooseMine) },
		markup.Theirs: func(path string) lifecycle.Event { return lifecycle.Resolve(path, lifecycle.ChooseTheirs) },
	} {
		if value := posted.Get(name); value != "" {
			e := event(value)
			s.change = &e
		}
	}
	return nil
}

// checkRows refuses answers of rows that the number of rows does not count: they would be dropped.
func (h *Handler) checkRows(s *sent) {
	told := map[form.FieldID]bool{}
	for name := range s.values {
		place, _ := h.form.Lookup(name)
		group, inRows := h.form.Group(place.Field)
		if !inRows || told[group] {
			continue
		}
		head := &h.form.Fields[group]
		switch rows, counted := s.rows[head.Path]; {
		case !counted:
			s.wrong = append(s.wrong, problemEntry{"#/" + head.Path, "badInput", head.Label + " was sent without the number of its rows."})
		case int(place.Row) >= rows:
			s.wrong = append(s.wrong, problemEntry{"#/" + head.Path, "badInput", fmt.Sprintf("%s was sent with more rows than the %d that are counted.", head.Label, rows)})
		default:
			continue
		}
		told[group] = true
	}
}

// withoutEmptyRows leaves out rows at the end of each group of which nothing was sent:
// whoever is turned away gets back what was typed, and a short request no long page.
func (s *sent) withoutEmptyRows() {
	for group, count := range s.rows {
		used := 0
		for name := range s.values {
			if below, in := strings.CutPrefix(name, group+"/"); in {
				row, _, _ := strings.Cut(below, "/")
				if n, err := strconv.Atoi(row); err == nil {
					used = max(used, n+1)
				}
			}
		}
		s.rows[group] = min(count, used)
	}
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
func (v *visit) fill(s *sent) {
	for path, want := range s.rows {
		f, _ := v.session.Field(path)
		for range want - f.Rows() {
			v.apply(lifecycle.AddRow(path))
		}
		for k := f.Rows() - 1; k >= want; k-- {
			v.apply(lifecycle.RemoveRow(path + "/" + strconv.Itoa(k)))
		}
	}
	var edits []lifecycle.Event
	for f := range v.session.Fields() {
		raw, given := s.values[f.Path()]
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
