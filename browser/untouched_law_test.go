//go:build !js

package browser_test

import (
	"encoding/json"
	"fmt"
	"html"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/browser"
	"leanwicket.dev/internal/chromiumtest"
)

// kindOf is a kind of control: its property in the schema, its markup with NAME and ATTRIBUTES, values of the field
// that it can hold or not, and how one of them is written in the markup.
type kindOf struct {
	schema, markup string
	values         []any
	written        func(v any) string // as an attribute, or as what stands in the place of CONTENT
	itself         any                // what the control holds by itself in any case
}

func attribute(name string) func(any) string {
	return func(v any) string { return fmt.Sprintf(` %s="%s"`, name, html.EscapeString(fmt.Sprint(v))) }
}

const enum = `{type: string, enum: [red, white, black, "light grey", lost]}`

// list writes options, of which one or none is selected.
func options(before string) func(any) string {
	return func(v any) string {
		text := before
		for _, o := range []string{"red", "white", "black", "light grey"} { // "lost" is an answer for which the page has no option
			selected := ""
			if chosen, several := v.([]any); v == o || several && slices.Contains(chosen, any(o)) {
				selected = " selected"
			}
			text += `<option` + selected + `>` + o
		}
		return text
	}
}

func boxes(kind string) func(any) string {
	return func(v any) string {
		text := ""
		for _, o := range []string{"red", "white", "black", "light grey"} {
			checked := ""
			if chosen, several := v.([]any); v == o || several && slices.Contains(chosen, any(o)) {
				checked = " checked"
			}
			text += fmt.Sprintf(`<label><input type="%s" name="NAME" value="%s"%s ATTRIBUTES>%s</label>`, kind, o, checked, o)
		}
		return text
	}
}

var words, colours = []any{"Ida", "two words", "ü <b>&amp;", "0", "x"}, []any{"red", "white", "black", "light grey", "lost"}

func input(kind string) string { return `<input type="` + kind + `" name="NAME" ATTRIBUTES>` }

var kinds = map[string]kindOf{
	"text":     {`{type: string}`, input("text"), append([]any{"two\nlines"}, words...), attribute("value"), nil},
	"search":   {`{type: string}`, input("search"), words, attribute("value"), nil},
	"hidden":   {`{type: string}`, input("hidden"), words, attribute("value"), nil},
	"password": {`{type: string}`, input("password"), words, attribute("value"), nil},
	"area":     {`{type: string}`, `<textarea name="NAME" ATTRIBUTES>CONTENT</textarea>`, append([]any{"two\nlines"}, words...), func(v any) string { return html.EscapeString(fmt.Sprint(v)) }, nil},
	"number":   {`{type: number}`, input("number"), []any{0.0, 7.0, 9.25, -3.0}, attribute("value"), nil},
	"range":    {`{type: integer}`, `<input type="range" name="NAME" max="1200" ATTRIBUTES>`, []any{0.0, 7.0, 900.0, 1500.0}, attribute("value"), 600.0},
	"color":    {`{type: string}`, input("color"), []any{"#aa5500", "#000001"}, attribute("value"), "#000000"},
	"date":     {`{type: string, format: date}`, input("date"), []any{"2031-05-02", "1999-12-31"}, attribute("value"), nil},
	"time":     {`{type: string, format: time}`, input("time"), []any{"10:15", "23:59"}, nil, nil},
	"box":      {`{type: boolean}`, input("checkbox"), []any{true, false}, func(v any) string { return map[any]string{true: " checked"}[v] }, nil},
	"list":     {enum, `<select name="NAME" ATTRIBUTES>CONTENT</select>`, colours, options(""), nil},
	"blank":    {enum, `<select name="NAME" ATTRIBUTES>CONTENT</select>`, colours, options(`<option value="">Choose`), nil},
	"disabled": {enum, `<select name="NAME" ATTRIBUTES>CONTENT</select>`, colours, options(`<option disabled>Choose`), nil},
	"long":     {enum, `<select name="NAME" size="4" ATTRIBUTES>CONTENT</select>`, colours, options(""), nil},
	"several":  {`{type: array, uniqueItems: true, items: ` + enum + `}`, `<select multiple name="NAME" ATTRIBUTES>CONTENT</select>`, []any{[]any{"red"}, []any{"white", "light grey"}}, options(""), nil},
	"boxes":    {`{type: array, uniqueItems: true, items: ` + enum + `}`, `CONTENT`, []any{[]any{"red"}, []any{"white", "light grey"}}, boxes("checkbox"), nil},
	"radio":    {enum, `CONTENT`, colours, boxes("radio"), nil},
}

// strangersPage is a page with some controls, what stands in the record, and what has to be sent after one edit.
type strangersPage struct {
	form, page   string
	record, sent map[string]any
	edit         string
	to           any
	delay        time.Duration
}

func newStrangersPage(n int) strangersPage {
	r := rand.New(rand.NewPCG(uint64(n), 7))
	chance := func(of float64) bool { return r.Float64() < of }
	p := strangersPage{record: map[string]any{}, sent: map[string]any{}, delay: time.Duration(r.IntN(3)) * 60 * time.Millisecond}
	loads, lock, shadow, reload := chance(.7), chance(.4), chance(.25), chance(.3)
	names := slices.Sorted(maps.Keys(kinds))
	r.Shuffle(len(names), func(i, k int) { names[i], names[k] = names[k], names[i] })
	names = names[:3+r.IntN(len(names)-3)]
	var properties, inside, outside []string
	had := map[string]string{}
	for _, name := range names {
		k := kinds[name]
		properties = append(properties, name+": "+k.schema)
		attributes, content := ` aria-label="`+name+`"`, ""
		var own any
		if k.written != nil && chance(.5) {
			own = k.values[r.IntN(len(k.values))]
			if name == "radio" || strings.Contains(k.markup, "CONTENT") && name != "area" && own == "lost" || name == "text" && own == "two\nlines" || name == "range" && own == 1500.0 {
				own = k.values[0] // what the markup cannot say
			}
			if name == "text" && own == "two\nlines" {
				own = "Ida"
			}
		}
		if strings.Contains(k.markup, "CONTENT") {
			content = k.written(map[bool]any{true: own, false: ""}[own != nil])
		} else if own != nil {
			attributes += k.written(own)
		}
		if chance(.2) && name != "area" {
			attributes += ` autocomplete="off"`
		}
		place := &inside
		if chance(.25) {
			attributes += ` form="f"`
			place = &outside
		}
		markup := strings.NewReplacer("ATTRIBUTES", attributes, "NAME", name).Replace(strings.ReplaceAll(k.markup, "CONTENT", content))
		*place = append(*place, map[bool]string{true: "<p>" + markup + "</p>", false: "<div><div>" + markup + "</div></div>"}[chance(.5)])
		had[name] = fmt.Sprint(own)
		if name == "box" {
			had[name] = fmt.Sprint(own == true)
		}
		stands := own
		if loads {
			stands = nil
			if chance(.7) {
				stands = k.values[r.IntN(len(k.values))]
				p.record[name] = stands
			}
		} else if stands == nil {
			stands = k.itself
		}
		if stands != nil && stands != false {
			p.sent[name] = stands
		}
	}
	for _, p.edit = range names {
		was := fmt.Sprint(p.sent[p.edit])
		for _, v := range kinds[p.edit].values {
			if p.edit != "hidden" && fmt.Sprint(v) != was && fmt.Sprint(v) != had[p.edit] && v != "two\nlines" && v != "lost" && v != 1500.0 && !(v == false && was == "<nil>") {
				p.to = v
			}
		}
		if p.to != nil {
			break
		}
	}
	if p.to == false {
		delete(p.sent, p.edit)
	} else {
		p.sent[p.edit] = p.to
	}
	p.form = "form: crate\nschema: {properties: {" + strings.Join(properties, ", ") + "}}\n"
	if loads {
		p.form += fmt.Sprintf("prefill: {url: /record/%d, whileLoading: %s}\nsubmit: {url: /record/%d, method: PUT}\n", n, map[bool]string{true: "lock", false: "edit"}[lock], n)
	} else {
		p.form += fmt.Sprintf("submit: {url: /record/%d}\n", n)
	}
	body := `<form id="f" data-leanwicket-form="/forms/` + strconv.Itoa(n) + `" method="post">` + strings.Join(inside, "\n") + `<button>Send</button></form>` + strings.Join(outside, "\n")
	to, _ := json.Marshal(p.to)
	what := fmt.Sprintf(`{number: %d, name: %q, to: %s, lock: %t, shadow: %t, reload: %t}`, n, p.edit, to, lock && loads, shadow, reload)
	if shadow {
		markup, _ := json.Marshal(body)
		body = `<div id="host"></div><script>document.getElementById("host").attachShadow({mode: "open"}).innerHTML = ` + strings.ReplaceAll(string(markup), "</", `<\/`) + `</script>`
	}
	p.page = `<!doctype html><meta charset="utf-8"><title>Crate</title><link rel="icon" href="data:,"><script src="/leanwicket/leanwicket.js" defer></script>` + body + `<script>const what = ` + what + `</script><script src="/drive.js" defer></script>`
	return p
}

// A page changes nothing that nobody touched: on pages with any kinds of controls, inside the form and outside, in a
// shadow root, with values in the markup and without, with a record that comes late, early or not at all, with a reload
// between edit and submit and without one, one edit is sent, and all else goes back as it was. PAGES says how many pages; ./test --long makes 500.
func TestOneEditChangesOneAnswer(t *testing.T) {
	count := 20
	if n, err := strconv.Atoi(os.Getenv("PAGES")); err == nil {
		count = n
	}
	for _, engine := range engines(t) {
		t.Run(engine.name, func(t *testing.T) {
			program, err := exec.LookPath(engine.program)
			if err != nil {
				t.Skipf("no %s is installed: apt-get install %s, or run ./test", engine.name, engine.program)
			}
			var mu sync.Mutex
			told := map[string]bool{}
			next := make(chan int, count)
			number := func(r *http.Request) int { n, _ := strconv.Atoi(r.PathValue("n")); return n }
			mux := http.NewServeMux()
			mux.Handle("/leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
			mux.HandleFunc("/forms/{n}", func(w http.ResponseWriter, r *http.Request) {
				_, _ = w.Write(compiled(t, newStrangersPage(number(r)).form))
			})
			mux.HandleFunc("/drive.js", func(w http.ResponseWriter, r *http.Request) { http.ServeFile(w, r, "testdata/drive.js") })
			mux.HandleFunc("/pages/{n}", func(w http.ResponseWriter, r *http.Request) {
				w.Header().Set("Content-Type", "text/html; charset=utf-8")
				fmt.Fprint(w, newStrangersPage(number(r)).page)
			})
			mux.HandleFunc("GET /record/{n}", func(w http.ResponseWriter, r *http.Request) {
				p := newStrangersPage(number(r))
				time.Sleep(p.delay)
				w.Header().Set("Content-Type", "application/json")
				w.Header().Set("ETag", `"1"`)
				_ = json.NewEncoder(w).Encode(p.record)
			})
			mux.HandleFunc("/record/{n}", func(w http.ResponseWriter, r *http.Request) {
				text, _ := io.ReadAll(r.Body)
				sent := map[string]any{}
				assert.NoError(t, json.Unmarshal(text, &sent))
				p := newStrangersPage(number(r))
				assert.Equal(t, p.sent, sent, "page %d, %s to %v, over %v\n%s\n%s", number(r), p.edit, p.to, p.record, p.form, p.page)
				mu.Lock()
				told[r.PathValue("n")] = true
				mu.Unlock()
				w.WriteHeader(http.StatusNoContent)
			})
			mux.HandleFunc("/next/{n}", func(w http.ResponseWriter, r *http.Request) {
				if n := number(r) + 1; n < count {
					fmt.Fprintf(w, "/pages/%d", n)
				}
				next <- number(r)
			})
			server := httptest.NewServer(mux)
			t.Cleanup(server.Close)
			visit(t, program, engine.arguments, server.URL+"/pages/0")
			for n := range count {
				select {
				case <-next:
				case <-time.After(chromiumtest.Patience):
					p := newStrangersPage(n)
					require.Fail(t, "the page does not end", "page %d\n%s\n%s", n, p.form, p.page)
				}
			}
			mu.Lock()
			defer mu.Unlock()
			require.Len(t, told, count)
		})
	}
}
