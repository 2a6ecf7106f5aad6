package declare

import (
	"errors"
	"fmt"
	"net/url"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

const draft = "https://json-schema.org/draft/2020-12/schema"

// olderDrafts are read as the newest one: what a form honours of them means the same there.
var olderDrafts = []string{"http://json-schema.org/draft-07/schema", "https://json-schema.org/draft/2019-09/schema"}

// schemaReader walks a compiled schema. The library reads it, checks it against
// its meta-schema and resolves references; the document tells order and places.
type schemaReader struct {
	*reader
	documents map[string]*document.Node // by URL
	files     map[string]string         // the file of each URL
	walking   map[string]bool           // schemas on the way down, against endless references
	leaves    map[string][]string       // of each object: the paths below it
}

// schema reads the schema that the form file names or carries.
func (r *reader) schema(n *document.Node) *jsonschema.Schema {
	s := &schemaReader{
		reader: r, documents: map[string]*document.Node{}, files: map[string]string{},
		walking: map[string]bool{}, leaves: map[string][]string{},
	}
	file, root := r.file, n
	if n.Kind != document.Map {
		name := r.Text(n)
		file = beside(r.file, name)
		data, err := r.open(file)
		if err != nil {
			r.Wrong(n, fmt.Sprintf("%q, which cannot be read (%v)", name, document.Cause(err)), "a JSON Schema file beside this one")
			return nil
		}
		if root, err = document.Read(file, data); err != nil {
			r.Join(err)
			return nil
		}
	}
	compiled := s.compile(file, root)
	if compiled == nil {
		return nil
	}
	r.byPath = map[string]*protoField{}
	s.object(compiled, "", need{always: true}, nil)
	if len(r.fields) == 0 && r.Count() == 0 {
		s.wrong(root, file, "a schema without properties", "an object with properties: the fields of the form")
	}
	return compiled
}

func (s *schemaReader) wrong(at *document.Node, file, found, want string) {
	report := document.NewReport(file)
	report.Wrong(at, found, want)
	s.Join(report.Err())
}

func fileURL(file string) string {
	abs, err := filepath.Abs(filepath.FromSlash(file))
	if err != nil {
		abs = file
	}
	return (&url.URL{Scheme: "file", Path: "/" + strings.TrimPrefix(filepath.ToSlash(abs), "/")}).String()
}

// Load gives the library the files that a reference names.
func (s *schemaReader) Load(address string) (any, error) {
	for known, n := range s.documents {
		if known == address {
			return n.Any(), nil
		}
	}
	if !strings.HasPrefix(address, "file://") {
		return nil, fmt.Errorf("%s is not a local file", address)
	}
	base := fileURL(s.reader.file)
	parsed, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	from, err := url.Parse(base)
	if err != nil {
		return nil, err
	}
	name, err := filepath.Rel(filepath.Dir(from.Path), parsed.Path)
	if err != nil {
		return nil, err
	}
	file := beside(s.reader.file, filepath.ToSlash(name))
	data, err := s.open(file)
	if err != nil {
		return nil, err
	}
	n, err := document.Read(file, data)
	if err != nil {
		return nil, err
	}
	s.documents[address], s.files[address] = n, file
	return n.Any(), nil
}

func (s *schemaReader) compile(file string, root *document.Node) *jsonschema.Schema {
	if n := root.Get("$schema"); n != nil {
		switch given := strings.TrimSuffix(n.Text, "#"); {
		case slices.Contains(olderDrafts, given):
			root.Set("$schema", document.NewText(draft))
		case given != draft:
			s.wrong(n, file, document.Describe(n), draft)
			return nil
		}
	}
	address := fileURL(file)
	if root != s.root && file == s.reader.file {
		address += ".schema" // the schema inside the form file
	}
	s.documents[address], s.files[address] = root, file
	c := newSchemaCompiler()
	c.UseLoader(s)
	if err := c.AddResource(address, root.Any()); err != nil {
		s.wrong(root, file, err.Error(), "a JSON Schema")
		return nil
	}
	compiled, err := c.Compile(address)
	if err != nil {
		s.schemaError(err, root, file)
		return nil
	}
	return compiled
}

// schemaError tells where the library found the schema itself wrong.
func (s *schemaReader) schemaError(err error, root *document.Node, file string) {
	var problems form.Problems
	if errors.As(err, &problems) {
		s.Join(problems)
		return
	}
	var invalid *jsonschema.SchemaValidationError
	var leaf *jsonschema.ValidationError
	if !errors.As(err, &invalid) || !errors.As(invalid.Err, &leaf) {
		text := err.Error()
		var load *jsonschema.LoadURLError
		if errors.As(err, &load) {
			text = fmt.Sprintf("a reference to %s, which cannot be read (%v)", filepath.Base(load.URL), document.Cause(load.Err))
		}
		s.wrong(root, file, strings.ReplaceAll(text, fileURL(file), filepath.Base(file)), "a JSON Schema of draft 2020-12")
		return
	}
	if n := s.documents[strings.TrimSuffix(invalid.URL, "#")]; n != nil {
		root, file = n, s.files[strings.TrimSuffix(invalid.URL, "#")]
	}
	told := map[*document.Node]bool{}
	var tell func(e *jsonschema.ValidationError)
	tell = func(e *jsonschema.ValidationError) {
		if len(e.Causes) == 0 {
			at := root
			for _, key := range e.InstanceLocation {
				if next := at.Get(key); next != nil {
					at = next
				}
			}
			text := e.ErrorKind.LocalizedString(message.NewPrinter(language.English))
			if !told[at] { // the branches of an anyOf tell of the same place
				s.wrong(at, file, document.Describe(at), "what JSON Schema allows here ("+text+")")
			}
			told[at] = true
		}
		for _, cause := range e.Causes {
			tell(cause)
		}
	}
	tell(leaf)
}

// pattern is a schema's pattern, as the schema library asks for it.
type pattern struct {
	*regexp.Regexp
	text string
}

func (p pattern) String() string { return p.text }

// compilePattern compiles a pattern as the form does.
func compilePattern(text string) (jsonschema.Regexp, error) {
	translated, err := form.TranslatePattern(text)
	if err != nil {
		return nil, err
	}
	compiled, err := regexp.Compile(translated)
	return pattern{compiled, text}, err
}

// newSchemaCompiler returns a compiler that asserts formats as the form does.
// A time may lack its seconds and its offset, because the browser's control gives it so.
func newSchemaCompiler() *jsonschema.Compiler {
	c := jsonschema.NewCompiler()
	c.DefaultDraft(jsonschema.Draft2020)
	c.AssertFormat()
	c.UseRegexpEngine(compilePattern)
	text := func(ok func(string) bool, want string) func(any) error {
		return func(v any) error {
			if s, is := v.(string); is && !ok(s) {
				return errors.New("not " + want)
			}
			return nil
		}
	}
	for name, ok := range formats {
		c.RegisterFormat(&jsonschema.Format{Name: name, Validate: text(ok, name)})
	}
	return c
}

var formats = map[string]func(string) bool{
	"date":      func(s string) bool { _, ok := form.ParseDate(s); return ok },
	"time":      func(s string) bool { _, ok := form.ParseTime(s); return ok },
	"date-time": func(s string) bool { _, ok := form.ParseDateTime(s); return ok },
	"email":     func(s string) bool { return form.HasFormat("email", s) },
	"uri":       func(s string) bool { return form.HasFormat("uri", s) },
	"binary":    func(string) bool { return true },
}

// node finds where a compiled schema stands.
func (s *schemaReader) node(schema *jsonschema.Schema) (*document.Node, string) {
	address, fragment, _ := strings.Cut(schema.Location, "#")
	at, file := s.documents[address], s.files[address]
	if at == nil {
		return s.root, s.reader.file
	}
	if decoded, err := url.PathUnescape(fragment); err == nil {
		fragment = decoded
	}
	for key := range strings.SplitSeq(strings.TrimPrefix(fragment, "/"), "/") {
		if fragment == "" {
			break
		}
		key = form.UnescapeToken(key)
		next := at.Get(key)
		if next == nil && at.Kind == document.List {
			var index int
			if _, err := fmt.Sscanf(key, "%d", &index); err == nil && index < len(at.Items) {
				next = at.Items[index]
			}
		}
		if next == nil {
			break
		}
		at = next
	}
	return at, file
}

// parts returns the schemas that together describe one place. These are the schema itself, those that it
// refers to, and the members of allOf.
func (s *schemaReader) parts(schema *jsonschema.Schema) []*jsonschema.Schema {
	if s.walking[schema.Location] {
		at, file := s.node(schema)
		s.wrong(at, file, "a schema that contains itself", "a form of finite depth")
		return nil
	}
	s.walking[schema.Location] = true
	defer delete(s.walking, schema.Location)
	list := []*jsonschema.Schema{schema}
	if schema.Ref != nil {
		list = append(list, s.parts(schema.Ref)...)
	}
	for _, member := range schema.AllOf {
		list = append(list, s.parts(member)...)
	}
	if other := orNull(schema); other != nil {
		list = append(list, s.parts(other)...)
	}
	return list
}

var annotations = []string{
	"$schema", "$id", "$defs", "$comment", "$anchor", "$ref", "allOf", "title", "description", "default",
	"examples", "deprecated", "readOnly", "writeOnly", "definitions",
}

// ways are keywords that other programs write, and what says the same.
var ways = map[string]string{
	"nullable": `type: [string, "null"], or the type that it is`, "example": "examples, a list", "prefixItems": "an object with a property for each",
	"patternProperties": "additionalProperties, or properties by their names", "not": "a pattern, an enum or bounds", "contains": "minItems",
}

// keywords reports what a form cannot honour at this place.
func (s *schemaReader) keywords(schema *jsonschema.Schema, where string, honoured ...string) {
	at, file := s.node(schema)
	if at.Kind == document.Bool {
		if at.Text == "false" {
			s.wrong(at, file, "false", "a schema that something can satisfy")
		}
		return
	}
	for _, e := range at.Entries {
		isUnion := (e.Key == "anyOf" || e.Key == "oneOf") && orNull(schema) != nil
		if isUnion || slices.Contains(annotations, e.Key) || slices.Contains(honoured, e.Key) {
			continue
		}
		if strings.HasPrefix(e.Key, "x-") { // nobody's but the program's that wrote it
			continue
		}
		way := "one of " + strings.Join(honoured, ", ")
		if known, is := ways[e.Key]; is {
			way = known
		}
		s.wrong(e.At, file, "the keyword "+e.Key+", which a form cannot honour at "+where, way+", or leave it out")
	}
}

// typeOf returns the one type of a place, or an empty text where the schema gives none.
func (s *schemaReader) typeOf(parts []*jsonschema.Schema) string {
	found := ""
	for _, part := range parts {
		if part.Types == nil {
			continue
		}
		var types []string
		for _, t := range part.Types.ToStrings() {
			if t != "null" {
				types = append(types, t)
			}
		}
		at, file := s.node(part)
		if n := at.Get("type"); n != nil {
			at = n
		}
		switch {
		case len(types) == 0 && isNull(part):
			s.wrong(at, file, "the type null alone", "one type, with or without null")
		case len(types) != 1:
			s.wrong(at, file, "the types "+strings.Join(types, ", "), "one type, with or without null")
		case found != "" && found != types[0] && (found != "integer" || types[0] != "number") && (found != "number" || types[0] != "integer"):
			s.wrong(at, file, "the type "+types[0]+" where "+found+" is demanded too", "one type")
		case found == "" || types[0] == "integer":
			found = types[0]
		}
	}
	return found
}

// names lists the names of properties in the order of the document.
func (s *schemaReader) names(schema *jsonschema.Schema) []string {
	at, _ := s.node(schema)
	var names []string
	if properties := at.Get("properties"); properties != nil {
		for _, e := range properties.Entries {
			names = append(names, e.Key)
		}
	}
	return names
}

func join(prefix, name string) string {
	name = form.EscapeToken(name)
	if prefix == "" {
		return name
	}
	return prefix + "/" + name
}
