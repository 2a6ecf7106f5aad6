package formhttp

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"text/template/parse"

	"golang.org/x/net/html"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/lifecycle"
)

// Parts are the names of the templates that make the page; Options.Page can
// define any of them anew.
func Parts() []string {
	return []string{"page", "head", "summary", "form", "choices", "field", "rows", "row", "control", "issues", "help", "buttons", "notice"}
}

// newPage joins the page's templates with those of the application, which may call further ones of
// its own.
func newPage(f *form.Form, own *template.Template) (*template.Template, error) {
	// {{word "optional"}} is a message by its name; {{counted "title-wrong" 3}} one in which a number counts.
	words := template.FuncMap{
		"word":    func(name string) (string, error) { return counted(f, name, -1) },
		"counted": func(name string, count int) (string, error) { return counted(f, name, count) },
	}
	parts := template.Must(template.New("page").Funcs(words).Parse(pageText))
	if own == nil {
		return parts, nil
	}
	page, err := own.Clone() // with its functions, and templates of its own
	if err != nil {
		return nil, fmt.Errorf("Options.Page cannot be copied: %w", err)
	}
	page.Funcs(words)
	for _, name := range Parts() {
		if defined := page.Lookup(name); defined == nil || defined.Tree == nil {
			template.Must(page.AddParseTree(name, parts.Lookup(name).Tree))
		}
	}
	return page, showsWhatIsSaid(page)
}

// counted is the text of a message that a template names.
func counted(f *form.Form, name string, count int) (string, error) {
	id, is := form.MessageNamed(name)
	if !is {
		return "", fmt.Errorf("found no message %q; right would be a name of the table in docs/form.md", name)
	}
	return f.CountedWords(id, count), nil
}

// showsWhatIsSaid is an error where a page leaves out what it has to say. A page that needs what
// only a request has cannot be looked at beforehand.
func showsWhatIsSaid(page *template.Template) error {
	const wrong, notice, choice = "whatiswrong", "whatissaid", "whatischosen"
	var text strings.Builder
	err := page.ExecuteTemplate(&text, "page", pageView{
		Key: "key", Own: map[string]any{}, Buttons: []buttonView{{}}, Wrong: 1, Heading: wrong, Summary: []summaryView{{"x", wrong}}, Notice: notice, Choices: []choiceView{{Mine: choice}},
	})
	if err == nil && !(strings.Contains(text.String(), wrong) && strings.Contains(text.String(), notice)) {
		return errors.New(`the template page does not show what is wrong, or what is said; right would be {{template "summary" .}} and {{template "notice" .}} in it`)
	}
	if err == nil && !strings.Contains(text.String(), choice) {
		return errors.New(`the template form does not show what was changed elsewhere; right would be {{template "choices" .}} in it`)
	}
	return nil
}

// looksRight is an error where a page with parts of the application does not have what a form needs. It
// is rendered once, with a row in each group and with everything wrong that can be. A page that needs
// what only a request has cannot be looked at beforehand.
func (h *Handler) looksRight() error {
	if h.o.Page == nil {
		return nil
	}
	if name := uncalled(h.o.Page); name != "" {
		return fmt.Errorf("found the template %s, which nothing calls; right would be a part of the page, one of %s", name, strings.Join(Parts(), ", "))
	}
	q := &request{Request: &http.Request{Method: http.MethodGet, Header: http.Header{}}, principal: func() string { return "" }}
	v := h.opened(q, func(load lifecycle.RequestID) lifecycle.Event { return lifecycle.Loaded(load, h.savedRow(), "") })
	v.home, v.key = "/", "key"
	for _, head := range h.form.Groups() {
		if group, _ := v.session.Field(h.form.Fields[head].Path); group.Rows() == 0 {
			v.apply(lifecycle.AddRow(group.Path()))
		}
	}
	v.apply(lifecycle.Submit(""))
	view := h.view(q, outcome{visit: v})
	view.Own = map[string]any{}
	page, err := h.execute(view)
	if err != nil {
		return nil
	}
	root, err := html.Parse(strings.NewReader(page))
	if err != nil {
		return err
	}
	return h.misses(root, v)
}

// savedRow is a record with a row in each group whose rows have something beyond the form.
func (h *Handler) savedRow() (answers []form.Answer) {
	for _, group := range h.form.Groups() {
		if beyond, marked := h.form.BeyondOf(group); marked {
			answers = append(answers, form.Answer{Place: form.Place{Field: group, Row: -1}, Value: form.Number(1, 0)}, form.Answer{Place: form.Place{Field: beyond}, Value: form.Text("{}")})
		}
	}
	return answers
}

// misses is what the form of a page lacks that was rendered for a visit. The page can have other forms
// and controls beside it.
func (h *Handler) misses(root *html.Node, v *visit) error {
	var controls map[string]bool
	var says string
	for n := range root.Descendants() {
		if n.Type == html.ElementNode && n.Data == "form" && !controls[markup.Key] {
			var err error
			if controls, says, err = h.partsOf(n); err != nil && controls[markup.Key] {
				return err
			}
		}
	}
	if !controls[markup.Key] {
		return errors.New(`the template form has no submission key, so that a second click would be stored twice; right would be <input type="hidden" name="{{.KeyName}}" value="{{.Key}}"> in it`)
	}
	for f := range v.session.Fields() {
		path := f.Path()
		if !controls[path] {
			continue
		}
		if group, inRows := h.form.Group(f.Place().Field); inRows && !controls[h.form.Fields[group].Path] {
			return fmt.Errorf(`the template rows does not say how many rows %s has, so that they would be refused; right would be <input type="hidden" name="{{.Path}}" value="{{len .Rows}}"> in it`, h.form.Fields[group].Path)
		}
		if f.Declared().Kind == form.KindRows && h.markAt(v, f.Place().Field, 0) != "" && !controls[markup.Row] {
			return fmt.Errorf(`the template rows does not say which of the saved rows each row of %s is, so that what they have beyond the form would be lost; right would be {{range .Rows}}{{with .Saved}}<input type="hidden" name="{{.Name}}" value="{{.Value}}">{{end}}{{end}} in it`, path)
		}
		for _, issue := range f.Issues() {
			if issue.Shown && f.Asked() && !strings.Contains(says, issue.Text) {
				return fmt.Errorf(`the page does not show what is wrong with %s at the field; right would be {{template "issues" .}} in the template field`, path)
			}
		}
	}
	return nil
}

// partsOf are the names of the controls of a form, and its text. The error tells a control that the
// form cannot have.
func (h *Handler) partsOf(root *html.Node) (controls map[string]bool, text string, wrong error) {
	controls = map[string]bool{}
	for n := range root.Descendants() {
		if n.Type == html.TextNode {
			text += n.Data
		}
		if n.Type != html.ElementNode || !slices.Contains([]string{"input", "select", "textarea"}, n.Data) {
			continue
		}
		name := attribute(n, "name")
		controls[name] = true
		_, known := h.form.Lookup(name)
		_, declared := h.form.FieldAt(name) // in the template that a script adds a row from
		switch {
		case name == "" && h.o.Page.Lookup("control") != nil:
			wrong = cmp.Or(wrong, fmt.Errorf("the template control writes <%s> without a name; right would be name=\"{{.Path}}\"", n.Data))
		case name != "" && !known && !declared && !markup.Own(name):
			wrong = cmp.Or(wrong, fmt.Errorf("the form has a control named %s, and no such field; right would be one of its fields", name))
		}
	}
	return controls, text, wrong
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// uncalled is the name of a template that is no part of a page and that nothing calls, as that of a
// misspelt part; empty where there is none.
func uncalled(own *template.Template) string {
	calls := ""
	for _, t := range own.Templates() {
		if t.Tree != nil {
			calls += t.Tree.Root.String()
		}
	}
	for _, t := range own.Templates() {
		if t.Tree == nil || parse.IsEmptyTree(t.Tree.Root) || t.Name() == own.Name() || slices.Contains(Parts(), t.Name()) {
			continue
		}
		if !strings.Contains(calls, fmt.Sprintf("{{template %q", t.Name())) {
			return t.Name()
		}
	}
	return ""
}
