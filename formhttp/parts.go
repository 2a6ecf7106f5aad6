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
	v := h.opened(q, func(load lifecycle.RequestID) lifecycle.Event { return lifecycle.Loaded(load, nil, "") })
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
		group, inRows := h.form.Group(f.Place().Field)
		switch {
		case inRows && controls[path] && !controls[h.form.Fields[group].Path]:
			return fmt.Errorf(`the template rows does not say how many rows %s has, so that they would be refused; right would be <input type="hidden" name="{{.Path}}" value="{{len .Rows}}"> in it`, h.form.Fields[group].Path)
		case !controls[path] && f.Declared().Kind != form.KindRows:
			continue
		}
		for _, issue := range f.Issues() {
			if issue.Shown && f.Asked() && controls[path] && !strings.Contains(says, issue.Text) {
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
