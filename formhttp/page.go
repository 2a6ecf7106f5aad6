package formhttp

import (
	"cmp"
	_ "embed"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/internal/palette"
	"leanwicket.dev/lifecycle"
)

//go:embed page.html
var pageText string

//go:embed page.css
var pageRules string

// pageStyle are the colors, and the rules that use them.
var pageStyle = palette.CSS() + pageRules

// pageView is what the templates show.
type pageView struct {
	Title, Lang, Name    string
	Style                template.CSS
	Styles, Scripts      []string // addresses
	Own                  any      // what Options.Own gives
	Action, Method       string
	Multipart            bool
	Groups               bool // it has rows, whose buttons stand before those that Enter is to use
	Key, Version         string
	Wrong                int    // how many things are to mend
	Heading              string // of the summary of what is wrong
	Notice               string // what is said beside that
	NoticeKind           string // good, unsure or nothing
	Received             bool   // the notice says that the last submission was accepted
	Receipt              string // the address of what was received
	Summary              []summaryView
	FormIssues           []lifecycle.Issue
	Choices              []choiceView // what was changed elsewhere, and differs from what was typed
	ContestedKey         string
	Fields               []fieldView
	Buttons              []buttonView
	ids                  markup.IDs
	FormID, SummaryID    string
	NoticeID             string
	Script, Compiled     string // the address of the script, and of what it binds the page with; empty means none
	Given                string // the values of the names that the form declares as given, as a query
	KeyName, VersionKey  string
	AccountName, Account string // whose work it is, as a digest; empty means that the application tells no accounts apart
}

type summaryView struct{ Target, Text string }

type buttonView struct{ Name, Value, Label string }

// fieldView is a field, or a group with its rows.
type fieldView struct {
	Path, ID, Label, Unit, Help  string
	Kind                         string
	Type, InputMode, Placeholder string
	Autocomplete                 string
	Value                        string
	Lines                        int // of a text that may have several
	Checked, Required            bool
	Sometimes                    string // when it is asked; empty means always
	Options                      []optionView
	Issues                       []lifecycle.Issue
	IssuesID, HelpID             string
	Described                    string // the ids of what describes it
	Rows                         []rowView
	Add                          buttonView
	Template                     *rowView // of a group: what the script adds a row from, * for its number
}

type rowView struct {
	Number  string
	IsItem  bool        // of a list
	Saved   *hiddenView // tells which of the saved rows it is; nil means a new one
	Fields  []fieldView
	Buttons []buttonView
}

// newRow is a row without its fields: the first one cannot go up.
func newRow(f *form.Form, group form.FieldID, path, number string) rowView {
	row := rowView{Number: number, IsItem: f.IsList(group), Buttons: []buttonView{{markup.Move, path, f.Words(form.MessageMoveUp)}, {markup.Remove, path, f.Words(form.MessageRemove)}}}
	if number == "1" {
		row.Buttons = row.Buttons[1:]
	}
	return row
}

type hiddenView struct{ Name, Value string }

type optionView struct {
	ID, Value, Label string
	Chosen           bool
}

// Fragment is the form alone, with what is said above and below it, for the page of another
// form or of none. The address is where its handler is mounted: the form is sent there,
// and a browser without script is shown that page then. The request is asked for the
// account and the saved record, as on the form's own page; who is not admitted sees nothing that is
// saved. The page around it brings rules, scripts and a policy. Options.Own is not asked for a
// fragment, so that two forms can show each other.
func (h *Handler) Fragment(r *http.Request, address string) (template.HTML, error) {
	q := h.asks(r)
	var v *visit
	if with := h.admit(q); with != nil {
		v = h.opened(q, func(request lifecycle.RequestID) lifecycle.Event {
			return lifecycle.LoadFailed(request, "not admitted")
		})
	} else {
		v = h.begin(q)
	}
	v.key, v.home, v.ids = newKey(), address, markup.Beside(h.form.Name)
	view, text := h.view(q, outcome{visit: v}), strings.Builder{}
	for _, part := range []string{"summary", "form", "notice"} {
		if err := h.page.ExecuteTemplate(&text, part, view); err != nil {
			return "", fmt.Errorf("formhttp: the form %s cannot be rendered: %w", h.form.Name, err)
		}
	}
	return template.HTML(text.String()), nil
}

// view is what the templates show of an outcome.
func (h *Handler) view(q *request, o outcome) pageView {
	f, v := h.form, o.visit
	shown := v != nil
	if !shown {
		v = &visit{request: q, ids: markup.Page}
	}
	p := pageView{
		Title: cmp.Or(f.Title, f.Name), Lang: cmp.Or(f.Lang, "en"), Name: f.Name, Style: template.CSS(h.style), Styles: h.o.Styles, Scripts: h.o.Scripts,
		Action: v.address(), Key: v.key, ContestedKey: markup.Contested, Given: h.given(q.Request),
		ids: v.ids, FormID: v.ids.Form(), SummaryID: v.ids.Summary(), NoticeID: v.ids.Notice(), AccountName: markup.Account, KeyName: markup.Key, VersionKey: markup.Version,
	}
	if h.o.Own != nil && v.home == "" { // the page around a fragment has its own
		p.Own = h.o.Own(q.Request)
	}
	if !shown {
		p.Notice, p.NoticeKind = o.says, "unsure"
		return p
	}
	p.Script, p.Compiled = h.o.Script, v.home+"?"+markup.Compiled
	p.Version, p.Account = cmp.Or(v.condition, tagOf(v.session.Version())), cmp.Or(v.account, h.account(q))
	p.Choices, p.FormIssues = h.choiceViews(v), v.session.FormIssues()
	p.Fields = h.fieldViews(v, &p)
	p.Wrong = len(p.FormIssues) + len(p.Summary)
	h.says(o, &p)
	for _, button := range f.Buttons {
		p.Buttons = append(p.Buttons, buttonView{markup.Button, button, strings.ToUpper(button[:1]) + button[1:]})
	}
	return p
}

// says decides where what is to be said stands: above what is wrong, else in the
// notice at the lower edge of the window.
func (h *Handler) says(o outcome, p *pageView) {
	said, level, count := o.visit.session.Notice()
	urgent := count > 0 && level == lifecycle.Assertive
	switch {
	case o.received:
		p.Received, p.NoticeKind, p.Receipt = true, "good", o.receipt
		p.Notice = h.form.Text(form.Message{ID: form.MessageAccepted})
	case o.says != "":
		p.Notice, p.NoticeKind = o.says, "unsure"
	case urgent && p.Wrong == 0:
		p.Notice, p.NoticeKind = h.form.Text(said), "unsure"
	}
	if p.Wrong > 0 {
		p.Heading = h.form.Text(form.Message{ID: form.MessageBlockedInvalid, Count: int32(p.Wrong)})
		if urgent {
			p.Heading = h.form.Text(said)
		}
	}
}

// fieldViews lists the fields in the form's order, those of rows in their rows.
func (h *Handler) fieldViews(v *visit, p *pageView) []fieldView {
	var list []fieldView
	for state := range v.session.Fields() {
		view := h.fieldView(state, p)
		place := state.Place()
		switch {
		case state.Declared().Kind == form.KindRows:
			p.Groups = true
			view.Add = buttonView{markup.Add, view.Path, h.form.Words(form.MessageAddTo, "label", view.Label)}
			view.Template = h.rowTemplate(place.Field, p.ids)
			list = append(list, view)
		case place.Row < 0:
			list = append(list, view)
		default:
			group := &list[len(list)-1]
			if len(group.Rows) <= int(place.Row) {
				row := group.Path + "/" + strconv.Itoa(int(place.Row))
				view := newRow(h.form, h.form.GroupOf(place.Field), row, strconv.Itoa(int(place.Row)+1))
				if mark := h.markAt(v, h.form.GroupOf(place.Field), int(place.Row)); mark != "" {
					view.Saved = &hiddenView{markup.Row, row + " " + mark}
				}
				group.Rows = append(group.Rows, view)
			}
			row := &group.Rows[place.Row]
			view.Required = view.Required || row.IsItem // nobody has to fill a blank item in
			row.Fields = append(row.Fields, view)
		}
	}
	return list
}

// rowTemplate is a row of a group as it is before anybody has typed in it; nil on
// a page without script.
func (h *Handler) rowTemplate(group form.FieldID, ids markup.IDs) *rowView {
	if h.o.Script == "" {
		return nil
	}
	head := h.form.Fields[group].Path
	row := newRow(h.form, group, head+"/*", "*")
	for _, id := range h.form.Members(group) {
		f := &h.form.Fields[id]
		view := h.emptyField(f, f.Path, ids)
		view.Required = view.Required || row.IsItem
		row.Fields = append(row.Fields, view)
	}
	return &row
}

// emptyField is a field before anything is known of its session.
func (h *Handler) emptyField(f *form.Field, path string, ids markup.IDs) fieldView {
	view := fieldView{
		Path: path, ID: ids.Control(path), Label: f.Label, Unit: f.Unit, Help: f.Help, Kind: f.Kind.String(),
		Type: "text", InputMode: markup.InputMode(f.Kind), Placeholder: f.Placeholder, Autocomplete: f.Autocomplete,
		IssuesID: ids.Issues(path), HelpID: ids.Help(path), Sometimes: h.sometimes(f), Required: f.Needed(), Lines: lines(f),
	}
	switch f.Kind {
	case form.KindDate:
		view.Placeholder = cmp.Or(view.Placeholder, "2031-05-02")
	case form.KindTime:
		view.Placeholder = cmp.Or(view.Placeholder, "09:30")
	case form.KindDateTime:
		view.Placeholder = cmp.Or(view.Placeholder, "2031-05-02T09:30")
	case form.KindFile:
		view.Type = "file"
	}
	if f.Private && f.Kind == form.KindText {
		view.Lines = 0
		switch view.Autocomplete = cmp.Or(f.Autocomplete, "off"); view.Autocomplete {
		case "current-password", "new-password":
			view.Type = "password"
		}
	}
	for k, o := range f.Options {
		value := o.Value.String()
		view.Options = append(view.Options, optionView{ids.Option(path, k), value, cmp.Or(o.Label, value), false})
	}
	if view.Help != "" || view.Sometimes != "" {
		view.Described = view.HelpID
	}
	return view
}

func (h *Handler) fieldView(state lifecycle.FieldState, p *pageView) fieldView {
	f := state.Declared()
	view := h.emptyField(f, state.Path(), p.ids)
	if view.Value = state.Raw(); f.Private {
		view.Value = "" // what is private stands in no page
	}
	switch f.Kind {
	case form.KindBoolean:
		view.Checked = !f.Private && (state.Value() == form.True() || state.Raw() == "true")
	case form.KindFile:
		p.Multipart = true
		view.Value = ""
	case form.KindChoice, form.KindChoices:
		chosen := strings.Split(state.Raw(), "\n")
		for k := range view.Options {
			view.Options[k].Chosen = !f.Private && slices.Contains(chosen, view.Options[k].Value)
		}
	}
	for _, issue := range state.Issues() {
		if issue.Shown && state.Asked() {
			view.Issues = append(view.Issues, issue)
			target := view.ID
			if len(view.Options) > 0 {
				target = view.Options[0].ID
			}
			p.Summary = append(p.Summary, summaryView{target, issue.Text})
		}
	}
	if len(view.Issues) > 0 {
		view.Described = strings.TrimSpace(view.Described + " " + view.IssuesID)
	}
	return view
}

// lines is how many lines the control of a text has, where it may have several: those
// that the form declares, else a few where it can be longer than 200 characters.
func lines(f *form.Field) int {
	if f.Kind != form.KindText || f.Lines > 0 {
		return f.Lines
	}
	for _, c := range f.Constraints {
		if c.Op == form.OpMaxLength && c.Value.Integer() > 200 {
			return 5
		}
	}
	return 0
}

// sometimes says with which answers a field is asked, where it is not always. A condition can hold the same twice:
// of a box that its schema also requires.
func (h *Handler) sometimes(f *form.Field) string {
	var conditions []string
	for _, condition := range f.Asked {
		var clauses []string
		for _, clause := range condition {
			var literals []string
			for _, literal := range clause {
				literals = append(literals, h.inWords(literal))
			}
			clauses = append(clauses, strings.Join(literals, h.form.Words(form.MessageWordOr)))
		}
		conditions = append(conditions, strings.Join(union(nil, clauses), h.form.Words(form.MessageWordAnd)))
	}
	if conditions == nil {
		return ""
	}
	return h.form.Words(form.MessageOnlyIf, "conditions", strings.Join(union(nil, conditions), h.form.Words(form.MessageOnlyIfOr)))
}

// inWords says what a literal asks of a field's answer.
func (h *Handler) inWords(literal form.Literal) string {
	f := &h.form.Fields[literal.Field]
	says := func(is, isNot form.MessageID, values ...string) string {
		if literal.Negate {
			is = isNot
		}
		return h.form.Words(is, "label", f.Label, "values", strings.Join(values, h.form.Words(form.MessageWordOr)))
	}
	switch ticked := literal.Present || slices.Contains(literal.Values, form.True()); {
	case f.Kind == form.KindBoolean && ticked:
		return says(form.MessageIsTicked, form.MessageIsNotTicked)
	case f.Kind == form.KindBoolean:
		return says(form.MessageIsNotTicked, form.MessageIsTicked)
	case literal.Present:
		return says(form.MessageIsAnswered, form.MessageIsNotAnswered)
	}
	var values []string
	for _, value := range literal.Values {
		values = append(values, f.Readable(value))
	}
	if literal.OrAbsent {
		return says(form.MessageIsValueOrNot, form.MessageIsNotValueOrNot, values...)
	}
	return says(form.MessageIsValue, form.MessageIsNotValue, values...)
}

// given are the values of the names that the form declares as given: those of the path
// that the page is served at ([http.Request.PathValue]).
func (h *Handler) given(r *http.Request) string {
	values := url.Values{}
	for _, name := range h.form.Given {
		values.Set(name, r.PathValue(name))
	}
	return values.Encode()
}
