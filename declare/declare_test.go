package declare_test

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
)

// open reads a form with its schema in one file.
func open(schema, rest string) (*declare.Source, error) {
	text := "form: permit\nschema: " + schema + "\n" + rest
	return declare.OpenFunc("p.form.yaml", func(name string) ([]byte, error) {
		if name == "p.form.yaml" {
			return []byte(text), nil
		}
		return nil, fs.ErrNotExist
	})
}

const berthSchema = `{type: object, properties: {name: {type: string}, arrival: {type: string, format: date}, departure: {type: string, format: date}, power: {type: boolean}, crew: {type: array, items: {properties: {name: {type: string}}}}}}`

func TestMistakesAreToldWithTheirPlace(t *testing.T) {
	for name, c := range map[string]struct{ schema, rest, want string }{
		"unknown key":           {berthSchema, "submitt: {url: /x}", "p.form.yaml:3:1: found the unknown key submitt; right would be submit"},
		"unknown path":          {berthSchema, "fields:\n  nam: {label: x}", "p.form.yaml:4:3: found the path nam, which the schema does not have; right would be name"},
		"unknown setting":       {berthSchema, "fields: {name: {lable: x}}", "3:17: found the unknown key lable; right would be label"},
		"wrong type":            {berthSchema, "prefill: {url: /x, needed: yes}", `found "yes"; right would be true or false`},
		"wrong word":            {berthSchema, "show: blurred", `found "blurred"; right would be blur`},
		"duration":              {berthSchema, "submit: {timeout: 10}", "found 10; right would be a time such as 300ms"},
		"endless wait":          {berthSchema, "submit: {timeout: 0}", "every wait has to end"},
		"no url":                {berthSchema, "prefill: {needed: true}", "a prefill without url"},
		"comparison kinds":      {berthSchema, "fields: {name: {rules: [{greaterThan: arrival}]}}", "a comparison of a text with a date"},
		"comparison itself":     {berthSchema, "fields: {arrival: {rules: [{greaterThan: arrival}]}}", "a field with itself"},
		"comparison other rows": {berthSchema, "fields: {name: {rules: [{equalTo: 'crew/*/name'}]}}", "which is in other rows"},
		"asked cycle":           {berthSchema, "fields: {name: {when: {power: true}}, power: {when: {name: x}}}", "depends on itself"},
		"default":               {berthSchema, "defaults: {arrival: soon}", `found "soon"; right would be a value for arrival (date)`},
		"button twice":          {berthSchema, "submit: {buttons: [apply, apply]}", "the button apply a second time"},
		"code":                  {berthSchema, "fields: {name: {say: {tooLongg: x}}}", "the unknown key tooLongg; right would be tooLong"},
		"message":               {berthSchema, "texts: {acepted: x}", "the unknown key acepted; right would be accepted"},
		"a name in a url":       {berthSchema, "given: [permit]\nsubmit: {url: '/permits/{permt}'}", "{permt} in a url, which is not given; right would be {permit}, or given: [permt]"},
		"a value in a url":      {berthSchema, "prefill: {url: '/permits/{value}'}", "{value} in a url, which is not given"},
		"an answer in a url":    {berthSchema, "submit: {url: '/berths/{vessel/name}'}", "right would be a name that is given, such as {id}"},
		"given twice":           {berthSchema, "given: [id, id]", "the name id twice"},
		"given value":           {berthSchema, "given: [value]", "{value} in the url of a check is what is checked"},
		"given no name":         {berthSchema, "given: [permit number]", "a name of letters, digits and underscores"},
		"inBody no pointer":     {berthSchema, "refused: {inBody: errors}", "or the word none"},
		"inBody a bad escape":   {berthSchema, "refused: {inBody: /a~2}", "JSON Pointer such as /errors"},
		"inBody an empty list":  {berthSchema, "refused: {inBody: []}", "an empty list"},
		"inBody none in a list": {berthSchema, "refused: {inBody: [/errors, none]}", "JSON Pointer such as /errors"},
		"inBody twice":          {berthSchema, "refused: {inBody: [/errors, /errors]}", "each pointer once"},
		"has no pointer":        {berthSchema, "accepted: {has: id}", "a JSON Pointer such as /id, or the word none"},
		"at no path":            {berthSchema, "accepted: {at: 'permits/{id}'}", "where {…} is one whole segment"},
		"at half a segment":     {berthSchema, "accepted: {at: '/permit-{id}'}", "where {…} is one whole segment"},
		"at an open brace":      {berthSchema, "accepted: {at: '/permits/{id'}", "where {…} is one whole segment"},
		"at the root":           {berthSchema, "accepted: {at: /}", "where {…} is one whole segment"},
		"sign-in no path":       {berthSchema, "signInPaths: [sign-in]", "a path that begins with one slash, such as /sign-in"},
		"sign-in another host":  {berthSchema, "signInPaths: ['//elsewhere.example/']", "a path that begins with one slash"},
		"sign-in a query":       {berthSchema, "signInPaths: ['/sign-in?next=/']", "without a query"},
		"sign-in no list":       {berthSchema, "signInPaths: /sign-in", "a list"},
		"origin with a path":    {berthSchema, "origins: ['https://pay.example/']", "an origin such as https://pay.example"},
		"origin of a kind":      {berthSchema, "origins: ['ftp://pay.example']", "an origin such as https://pay.example"},
		"server name":           {berthSchema, "refused: {serverNames: {/x: nme}}", "right would be name"},

		"keyword":        {"{properties: {a: {type: string, not: {const: x}}}}", "", "2:41: found the keyword not, which a form cannot honour"},
		"format":         {"{properties: {a: {type: string, format: hostname}}}", "", "the format hostname, which a form cannot honour"},
		"nested rows":    {"{properties: {a: {type: array, items: {properties: {b: {type: array, items: {properties: {c: {type: string}}}}}}}}}", "", "rows inside rows"},
		"no type":        {"{properties: {a: {}}}", "", "found no type at a"},
		"two types":      {"{properties: {a: {type: [string, number]}}}", "", "the types number, string"},
		"bad schema":     {"{properties: {a: {type: string, minLength: -1}}}", "", "2:52: found -1"},
		"required ghost": {"{properties: {a: {type: string}}, required: [b]}", "", "b among the required, which is no property"},
		"endless":        {"{$defs: {n: {properties: {n: {$ref: '#/$defs/n'}}}}, $ref: '#/$defs/n'}", "", "a schema that contains itself"},
		"sometimes":      {"{properties: {a: {type: boolean}, b: {type: string}}, if: {properties: {a: {const: true}}}, then: {properties: {b: {minLength: 3}}}}", "", "a rule for b that holds only sometimes"},
		"no answer":      {"{properties: {a: {type: string, minLength: 5, maxLength: 3}}}", "", "minLength 5 beside maxLength 3, which no answer can keep"},
		"length of date": {"{properties: {a: {type: string, format: date, minLength: 3}}}", "", "minLength at a date"},
		"missing $ref":   {"{properties: {a: {$ref: 'other.json'}}}", "", "a reference to other.json, which cannot be read"},
		"other draft":    {"{$schema: 'http://json-schema.org/draft-04/schema#', properties: {a: {type: string}}}", "", "right would be https://json-schema.org/draft/2020-12/schema"},
		"no such file":   {"gone.json", "", "2:9: found \"gone.json\", which cannot be read (file does not exist)"},
		"boxes":          {"{properties: {a: {const: false}}}", "", "for a box true"},
		"contradiction":  {"{properties: {a: {allOf: [{type: string}, {type: number}]}}}", "", "the type number where string is demanded too"},
		"pattern":        {"{properties: {a: {type: string, pattern: '('}}}", "", "2:50: found \"(\""},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := open(c.schema, c.rest)
			var problems form.Problems
			require.ErrorAs(t, err, &problems)
			require.Contains(t, err.Error(), c.want)
		})
	}
}

func TestSeveralMistakesAreToldAtOnce(t *testing.T) {
	_, err := open(berthSchema, "shw: blur\nfields: {nam: {}, name: {lable: x}}\nleave: {when: nevr}")
	var problems form.Problems
	require.ErrorAs(t, err, &problems)
	require.Len(t, problems, 4)
	for k := 1; k < len(problems); k++ {
		require.LessOrEqual(t, problems[k-1].Line, problems[k].Line)
	}
}

// kinds and rules, as a schema declares them.
func TestSchemaBecomesFields(t *testing.T) {
	source, err := open(`{
  properties: {
    vessel: {type: object, properties: {name: {type: string, minLength: 2}, tonnage: {type: number}}, required: [name]},
    guests: {type: integer, minimum: 0},
    when: {type: string, format: date-time},
    at: {type: string, format: time},
    colour: {oneOf: [{const: r, title: Red}, {const: g, title: Green}]},
    extras: {type: array, items: {enum: [water, fuel]}, uniqueItems: true, minItems: 1},
    paper: {type: string, contentMediaType: application/pdf},
    terms: {const: true},
    crew: {type: array, maxItems: 2, items: {properties: {name: {type: string}, pilot: {type: boolean}}, required: [name]}}
  }, required: [terms, guests, crew], dependentRequired: {colour: [at]}}`, "fields: {crew/*/name: {}, vessel/name: {}}\ndefaults: {vessel: {name: Egret}, crew: [{name: Ada}]}")
	require.NoError(t, err)
	kinds := []string{}
	for _, f := range source.Form.Fields {
		kinds = append(kinds, f.Path+" "+f.Kind.String())
	}
	require.Equal(t, []string{
		"crew rows", "crew/*/name text", "crew/*/pilot boolean", "vessel/name text", "vessel/tonnage number", "guests integer",
		"when date-time", "at time", "colour choice", "extras choices", "paper file", "terms boolean",
	}, kinds)

	s, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
	codes := func(path string) string {
		f, ok := s.Field(path)
		require.True(t, ok, path)
		list := []string{}
		for _, issue := range f.Issues() {
			list = append(list, issue.Code)
		}
		return strings.Join(list, " ")
	}
	edit := func(path, raw string) {
		_, err := s.Apply(lifecycle.Edit(path, raw))
		require.NoError(t, err)
	}
	require.Equal(t, "", codes("crew"))
	require.Equal(t, "valueMissing", codes("guests"))
	require.Equal(t, "valueMissing", codes("terms"))
	require.Equal(t, "", codes("vessel/name"), "the default is there")
	edit("vessel/name", "")
	require.Equal(t, "", codes("vessel/name"), "an absent object misses nothing")
	edit("vessel/tonnage", "4")
	require.Equal(t, "valueMissing", codes("vessel/name"), "a present one does")
	edit("guests", "1.5")
	require.Equal(t, "badInput", codes("guests"))
	edit("colour", "b")
	require.Equal(t, "typeMismatch", codes("colour"))
	require.Equal(t, "valueMissing", codes("at"))
	edit("extras", "fuel\nwater")
	f, _ := s.Field("extras")
	require.Equal(t, []string{"water", "fuel"}, f.Value().Options())
	for range 2 {
		_, err := s.Apply(lifecycle.AddRow("crew"))
		require.NoError(t, err)
	}
	require.Equal(t, "rangeOverflow", codes("crew"))
	require.Equal(t, "valueMissing", codes("crew/2/name"))
}

// The page of a form has a title, whatever was left out.
func TestTheTitle(t *testing.T) {
	for _, c := range []struct{ schema, rest, title string }{
		{"{title: A permit, properties: {a: {type: string}}}", "title: A mooring permit", "A mooring permit"},
		{"{title: A permit, properties: {a: {type: string}}}", "", "A permit"},
		{"{properties: {a: {type: string, title: A}}}", "", "permit"},
	} {
		source, err := open(c.schema, c.rest)
		require.NoError(t, err)
		require.Equal(t, c.title, source.Form.Title)
	}
}

func TestTheDemoIsWellDeclared(t *testing.T) {
	for _, name := range harbour.Forms() {
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err, name)
		require.Empty(t, source.Advice, name)
	}
}

func TestAdviceTellsWhatIsUnwise(t *testing.T) {
	source, err := open(berthSchema, "submit: {method: PUT, timeout: 5m}\nshow: input\nleave: {when: never}\naccepted: {then: clear, to: /x}")
	require.NoError(t, err)
	texts := ""
	for _, advice := range source.Advice {
		texts += advice.Error() + "\n"
	}
	for _, want := range []string{"PUT without a prefill", "waits 5m0s", "first letter", "clear after PUT", "a destination that is not gone to", "name without a label"} {
		require.Contains(t, texts, want)
	}
	source, err = open("{properties: {power: {type: boolean}, amps: {type: integer}, more: {type: integer}}, required: [amps]}", "fields: {power: {label: Power}, amps: {label: A, when: {power: true}}, more: {label: B, when: {power: true}}}")
	require.NoError(t, err)
	require.Len(t, source.Advice, 1)
	require.Contains(t, source.Advice[0].Error(), "p.form.yaml:3:57: found amps asked only sometimes, which the schema requires always")
}

// A program of another module drives a session through a replace.
func TestFromAnotherModule(t *testing.T) {
	root, err := filepath.Abs("..")
	require.NoError(t, err)
	dir := t.TempDir()
	write := func(name string, data []byte) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o644))
	}
	module, err := os.ReadFile(filepath.Join(root, "go.mod"))
	require.NoError(t, err)
	sums, err := os.ReadFile(filepath.Join(root, "go.sum"))
	require.NoError(t, err)
	write("go.mod", []byte(strings.Replace(string(module), "module leanwicket.dev", "module office.example", 1)+
		"\nrequire leanwicket.dev v0.0.0\nreplace leanwicket.dev => "+root+"\n"))
	write("go.sum", sums)
	write("main.go", []byte(`package main

import (
	"fmt"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

func main() {
	form, err := declare.File("berth.form.yaml")
	if err != nil {
		panic(err)
	}
	session, _ := lifecycle.Open(form, lifecycle.Seed{1})
	session.Apply(lifecycle.Edit("name", "Heron"))
	session.Apply(lifecycle.Edit("length", "9.4"))
	effects, err := session.Apply(lifecycle.Submit(""))
	fmt.Println(session.Submission(), string(form.AppendBody(nil, effects[0].Values)), err)
}
`))
	for _, name := range []string{"berth.form.yaml", "berth.schema.json"} {
		data, err := fs.ReadFile(harbour.First(), name)
		require.NoError(t, err)
		write(name, data)
	}
	run := exec.Command("go", "run", "-mod=mod", ".")
	run.Dir = dir
	output, err := run.CombinedOutput()
	require.NoError(t, err, string(output))
	require.Equal(t, "sending {\"name\":\"Heron\",\"length\":9.4} <nil>\n", string(output))
}

func FuzzForm(f *testing.F) {
	for _, name := range harbour.Forms() {
		form, _ := fs.ReadFile(harbour.Files(), name)
		schema, _ := fs.ReadFile(harbour.Files(), strings.Replace(name, ".form.yaml", ".schema.json", 1))
		f.Add(form, schema)
	}
	f.Fuzz(func(t *testing.T, form, schema []byte) {
		source, err := declare.OpenFunc("f.form.yaml", func(name string) ([]byte, error) {
			if name == "f.form.yaml" {
				return form, nil
			}
			return schema, nil
		})
		if err == nil {
			s, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
			for range s.Fields() {
			}
		}
	})
}
