package declare

import (
	"cmp"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// Source is a form with what it was read from.
type Source struct {
	Form   *form.Form
	File   string             // as it was named
	schema *jsonschema.Schema // formats asserted, as the form asserts them
	Advice []form.Problem     // what is allowed and unwise
	Beyond []Beyond           // what the schema describes and the form does not ask for
	root   *document.Node
}

// Beyond is a property of a schema that is no field of the form: one that is readOnly, or a map. Where the form
// sends back what it does not declare, such a property goes back as it was loaded.
type Beyond struct {
	Path string // crew/*/id
	Why  string // readOnly, a map, or a list of maps
}

// Advise makes a problem of something that is allowed and unwise, at the place of a policy in the
// file, such as leave.when.
func (s *Source) Advise(policy, found, want string) form.Problem {
	at := nearest(s.root, strings.Split(policy, ".")...)
	return form.Problem{File: s.File, Line: at.Line, Column: at.Column, Found: found, Want: want}
}

// Validate holds a record, as encoding/json decodes it with UseNumber, against the
// form's JSON Schema. It tells what the schema refuses; a form that was read without
// a schema refuses nothing.
func (s *Source) Validate(record any) error {
	if s.schema == nil {
		return nil
	}
	return s.schema.Validate(record)
}

// Proves reports whether a form keeps every rule of the schema by itself, so that its server need not
// ask the schema again. The form of this source does: a keyword that a form cannot honour is an error when
// the file is read.
func (s *Source) Proves(f *form.Form) bool { return f == s.Form }

// File reads a form file (YAML or JSON) from disk, with the schema beside it.
// The error is a [form.Problems] where the file can be opened.
func File(name string) (*form.Form, error) {
	source, err := Open(name)
	if err != nil {
		return nil, err
	}
	return source.Form, nil
}

// Open reads a form file as [File] does, and returns with the form what it was read from: the
// schema, for [Source.Validate], and what is unwise in it.
func Open(name string) (*Source, error) {
	return read(name, func(name string) ([]byte, error) { return os.ReadFile(filepath.FromSlash(name)) })
}

// OpenFS reads a form file from a file system, such as an embedded one.
func OpenFS(fsys fs.FS, name string) (*Source, error) {
	return read(name, func(name string) ([]byte, error) { return fs.ReadFile(fsys, name) })
}

// OpenFunc reads a form file, and the schemas beside it, through a function.
func OpenFunc(name string, open func(name string) ([]byte, error)) (*Source, error) {
	return read(name, open)
}

type open func(name string) ([]byte, error)

func read(name string, open open) (*Source, error) {
	name = filepath.ToSlash(name)
	data, err := open(name)
	if err != nil {
		return nil, &document.FileError{File: name, Want: "a form file", Err: err}
	}
	root, err := document.Read(name, data)
	if err != nil {
		return nil, err
	}
	return readRoot(name, root, open, nil)
}

// readRoot reads a form file that has been parsed. Where its schema is a struct, of is what was read of
// that; else it is nil.
func readRoot(name string, root *document.Node, open open, of *structReader) (*Source, error) {
	r := &reader{Report: document.NewReport(name), file: name, open: open, carried: map[string]bool{}}
	if of != nil {
		r.ofStruct, r.private, r.tags = true, of.private, of.settings
	}
	source := r.form(root)
	if err := r.Err(); err != nil {
		return nil, err
	}
	form, err := form.New(r.declaration)
	if err != nil {
		r.Join(r.atField(err))
		return nil, r.Err()
	}
	source.Form, source.File, source.root, source.Beyond = form, name, root, r.beyond
	r.declaration = form.Declaration // with what the form has added, such as labels
	r.declaration.Fields = form.Declared()
	source.Advice = r.advise()
	return source, nil
}

// reader turns one form file into a declaration.
type reader struct {
	*document.Report
	file        string
	open        open
	ofStruct    bool                      // the schema is a struct
	private     map[string]bool           // fields that are private whatever the file says
	tags        map[string]*document.Node // settings of fields that a struct's tags have, by path; the file's come after them
	carried     map[string]bool           // paths that an if looks at: a box among them is always sent
	declaration form.Declaration
	root        *document.Node
	fields      []*protoField
	byPath      map[string]*protoField
	ids         map[string]form.FieldID
	settings    map[string]*document.Node // of the fields section, by path
	plurals     []pluralForms             // texts that have several
	beyond      []Beyond
}

var formKeys = []string{
	"form", "title", "lang", "given", "schema", "fields", "defaults", "prefill", "submit",
	"show", "accepted", "refused", "signInPaths", "origins", "leave", "texts",
}

func (r *reader) form(root *document.Node) *Source {
	r.root = root
	r.settings = map[string]*document.Node{}
	r.Map(root, formKeys...)
	d := &r.declaration
	for _, required := range []string{"form", "schema"} {
		if root.Kind == document.Map && root.Get(required) == nil {
			r.Wrong(root, "no "+required, "the key "+required+": "+map[string]string{
				"form": "a name such as mooring-permit", "schema": "a JSON Schema file beside this one, or the schema itself",
			}[required])
		}
	}
	r.policyDefaults()
	if n := root.Get("given"); n != nil {
		r.given(n)
	}
	if n := root.Get("form"); n != nil {
		if d.Name = r.Text(n); !isName(d.Name) {
			r.Wrong(n, document.Describe(n), "a name of letters, digits and hyphens, such as mooring-permit")
		}
	}
	if n := root.Get("title"); n != nil {
		d.Title = r.Text(n)
	}
	if n := root.Get("lang"); n != nil {
		d.Lang = r.Text(n)
		var unknown language.ValueError // well formed, and not in the registry
		if _, err := language.Parse(d.Lang); err != nil && !errors.As(err, &unknown) {
			r.Wrong(n, document.Describe(n), "a language tag (BCP 47) such as de or pt-BR")
		}
		d.Plurals = pluralsOf(d.Lang)
	}
	source := &Source{}
	if n := root.Get("schema"); n != nil {
		source.schema = r.schema(n)
	}
	if d.Title == "" && source.schema != nil {
		d.Title = source.schema.Title
	}
	d.Title = cmp.Or(d.Title, d.Name)
	if r.fields == nil {
		return source // without fields every path would be a mistake
	}
	r.readTags()
	r.readFields(root.Get("fields"))
	if !r.ofStruct { // whose fields stay in its order
		r.order()
	}
	r.resolveFields()
	r.defaults(root.Get("defaults"))
	r.policies(root)
	return source
}

func isName(s string) bool {
	for _, c := range s {
		if c != '-' && c != '_' && c != '.' && (c < '0' || c > '9') && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') {
			return false
		}
	}
	return s != ""
}

// beside is the name of a file that another one names.
func beside(file, name string) string {
	if path.IsAbs(name) || filepath.IsAbs(name) {
		return name
	}
	joined := path.Join(path.Dir(file), name)
	if strings.HasPrefix(file, "./") && !strings.HasPrefix(joined, "../") {
		return "./" + joined
	}
	return joined
}

// atField gives the place in the file to what form.New found.
func (r *reader) atField(err error) error {
	report := document.NewReport(r.file)
	for _, one := range unjoin(err) {
		formError, ok := one.(*form.Error)
		if !ok {
			report.Join(one)
			continue
		}
		at := r.root
		if n := r.settings[formError.Path]; n != nil {
			at = n
		}
		report.Wrong(at, formError.Error(), "")
	}
	return report.Err()
}

func unjoin(err error) []error {
	if joined, ok := err.(interface{ Unwrap() []error }); ok {
		return joined.Unwrap()
	}
	return []error{err}
}
