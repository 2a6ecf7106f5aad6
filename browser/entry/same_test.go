package entry

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/sample"
)

// The core that browsers load gives the same answers as this one, which the standard
// compiler has built: on each form of the demo and on random ones, whatever is typed,
// answered and left behind. CORES says how many sessions, and CORES_FROM which is the first;
// ./test --long makes 20,000. Each 250 have a core of their own: none is closed before the
// last of them.
func TestTheSmallCoreIsTheSame(t *testing.T) {
	number := func(name string, otherwise int) int {
		if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
			return n
		}
		return otherwise
	}
	first, sessions := number("CORES_FROM", 0), number("CORES", 500)
	random := rapid.Custom(walk.Form)
	var forms []*form.Form
	for _, name := range harbour.Forms() {
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err)
		forms = append(forms, source.Form)
	}
	demo := len(forms)
	for from := first; from < first+sessions; from += 250 {
		to := min(from+250, first+sessions)
		told := compare(t, func(calls *json.Encoder) {
			var d driver
			for n := from; n < to; n++ {
				d.to, d.random = calls, rand.New(rand.NewPCG(uint64(n), 20))
				if d.form = forms[n%demo]; n%2 == 1 {
					d.form = random.Example(n)
				}
				d.session()
			}
		})
		t.Logf("sessions %d to %d: %s", from, to-1, told)
	}
}

// A long session takes no more memory at its end than in its middle: what is not needed any
// more is collected, and the record of its events ends at some time.
func TestALongSessionStaysSmall(t *testing.T) {
	source, err := declare.OpenFS(harbour.Files(), "mooring.form.yaml")
	require.NoError(t, err)
	size := func(events int) (kib int) {
		told := compare(t, func(to *json.Encoder) {
			d := driver{to: to, random: rand.New(rand.NewPCG(1, 2)), form: source.Form, gather: 1 << 20}
			d.open("", "")
			for k := range events {
				d.tell("edit", "vessel/name", "Heron "+strconv.Itoa(k%7))
			}
		})
		_, err := fmt.Sscanf(told, "%d calls, %d KiB", new(int), &kib)
		require.NoError(t, err)
		return kib
	}
	middle, end := size(mostEvents+2000), size(100_000)
	t.Logf("%d events: %d KiB, 100,000 events: %d KiB", mostEvents+2000, middle, end)
	require.LessOrEqual(t, end, middle+1024)
}

// compare makes calls of this core, and lets the small one make them as well. It returns what
// that said.
func compare(t *testing.T, calls func(*json.Encoder)) string {
	if testing.Short() {
		t.Skip("runs the core in node")
	}
	node, err := exec.LookPath("node")
	if err != nil {
		t.Skip("no node is installed: run ./test")
	}
	pages = nil // both count from 0
	c := exec.Command(node, "testdata/same.mjs", "../leanwicket.wasm.br")
	in, err := c.StdinPipe()
	require.NoError(t, err)
	var out strings.Builder
	c.Stdout, c.Stderr = &out, &out
	require.NoError(t, c.Start())
	func() {
		defer in.Close()
		defer func() { _ = recover() }() // it has found a difference, and reads no more
		calls(json.NewEncoder(broken{in}))
	}()
	require.NoError(t, c.Wait(), out.String())
	return strings.TrimSpace(out.String())
}

// broken panics where nobody reads any more.
type broken struct{ io.Writer }

func (b broken) Write(p []byte) (int, error) {
	n, err := b.Writer.Write(p)
	if err != nil {
		panic(err)
	}
	return n, nil
}

// driver is a script and an applicant, at random.
type driver struct {
	to     *json.Encoder
	random *rand.Rand
	form   *form.Form
	gather int // bytes after which is collected
	page   int
	at     float64

	fetches, timers []string
	mark, kept      string
	rows            map[string]int
}

func (d *driver) session() {
	if d.gather = []int{1 << 16, 1 << 20}[d.random.IntN(2)]; d.random.IntN(16) == 0 {
		d.gather = 0
	}
	d.open("", "")
	for range 1 + d.random.IntN(3) {
		for range d.random.IntN(40) {
			d.step()
		}
		d.tell("keep")
		d.tell("trace")
		d.tell("close")
		d.open(d.mark, d.kept)
	}
	d.tell("close")
}

func (d *driver) open(mark, kept string) {
	d.fetches, d.timers, d.rows = nil, nil, map[string]int{}
	compiled, err := d.form.MarshalBinary()
	if err != nil {
		panic(err)
	}
	d.page = len(pages)
	d.call(compiled, "read", "https://quay.example")
	var given []string
	for _, name := range d.form.Given {
		given = append(given, name, "7")
	}
	d.tell("open", fmt.Sprintf("%032x", d.random.Uint64()), mark, kept, strings.Join(given, string(partEnd)))
}

// tell gives both cores the same, and learns what the answer asks for.
func (d *driver) tell(what string, texts ...string) { d.call(nil, append([]string{what}, texts...)...) }

func (d *driver) call(compiled []byte, texts ...string) {
	answer := Call(d.page, d.at, texts[0], texts[1:], compiled)
	_ = d.to.Encode(map[string]any{"page": d.page, "at": d.at, "texts": texts, "compiled": base64.StdEncoding.EncodeToString(compiled), "gather": d.gather, "answer": strings.ToValidUTF8(answer, "\ufffd")})
	for record := range strings.SplitSeq(answer, string(recordEnd)) {
		parts := strings.Split(record, string(partEnd))
		switch parts[0] {
		case "fetch":
			d.fetches = append(d.fetches, parts[1])
		case "abort":
			d.fetches = slices.DeleteFunc(d.fetches, func(id string) bool { return id == parts[1] && d.random.IntN(2) == 0 })
		case "timer":
			d.timers = append(d.timers, parts[1])
		case "stop":
			d.timers = slices.DeleteFunc(d.timers, func(id string) bool { return id == parts[1] })
		case "keep":
			d.mark, d.kept = parts[1], parts[2]
		case "field":
			d.rows[parts[1]], _ = strconv.Atoi(parts[8]) // of a group
		}
	}
}

func (d *driver) step() {
	d.at += float64(d.random.IntN(900)) / 4
	switch n := d.random.IntN(100); {
	case n < 45:
		path, field := d.field()
		d.tell("edit", path, d.typed(field))
	case n < 52:
		path, _ := d.field()
		d.tell("blur", path)
	case n < 62:
		d.tell("submit", d.one(append(slices.Clone(d.form.Buttons), "nothing")))
	case n < 78 && len(d.fetches) > 0:
		id := d.random.IntN(len(d.fetches))
		d.answer(d.fetches[id])
		d.fetches = slices.Delete(d.fetches, id, id+1)
	case n < 84 && len(d.timers) > 0:
		id := d.random.IntN(len(d.timers))
		timer := d.timers[id]
		d.timers = slices.Delete(d.timers, id, id+1)
		d.tell("elapsed", timer)
	case n < 93:
		for _, group := range d.form.Groups() {
			d.row(d.form.Fields[group].Path)
		}
	case n < 95:
		path, _ := d.field()
		d.tell("resolve", path, d.one([]string{"mine", "theirs"}))
	case n < 97:
		d.tell("leave asked", "/away", d.one([]string{"inside", "unload"}))
		d.tell("leave decided", d.one([]string{"stay", "discard", "submit"}))
		d.tell("returned")
	default:
		d.tell(d.one([]string{"cancel", "retry", "reset", "refresh", "keep", "trace", "sing"}))
	}
}

func (d *driver) one(of []string) string { return of[d.random.IntN(len(of))] }

func (d *driver) field() (path string, field *form.Field) {
	field = &d.form.Fields[d.random.IntN(len(d.form.Fields))]
	return strings.Replace(field.Path, "*", strconv.Itoa(d.random.IntN(4)), 1), field
}

func (d *driver) row(group string) {
	at := func() string { return group + "/" + strconv.Itoa(d.random.IntN(max(1, d.rows[group]+1))) }
	switch d.random.IntN(4) {
	case 0:
		d.tell("remove row", at())
	case 1:
		d.tell("move row", at(), at())
	default:
		d.tell("add row", group)
	}
}

// typed is what somebody types: what fits, what almost fits, and what nobody expects.
func (d *driver) typed(field *form.Field) string {
	if fits, ok := sample.One(d.form, form.FieldID(slices.IndexFunc(d.form.Fields, func(f form.Field) bool { return f.Path == field.Path }))); ok && d.random.IntN(2) == 0 {
		return fits
	}
	if len(field.Options) > 0 && d.random.IntN(2) == 0 {
		return field.Options[d.random.IntN(len(field.Options))].Value.String()
	}
	return d.one([]string{
		"", "1", "-3", "0", "9.40", "9,4", "1e3", "99999999999999999999", "0.1", "Heron", " Heron ", "Käthe", "\U0001f6a2 quay", "a\x1eb\x1f", "true", "false",
		"2031-05-02", "2031-02-30", "09:30", "24:00", "2031-05-02T09:30", "2031-05-02T09:30:00Z", "a@b.example", strings.Repeat("long ", 60), "one\ntwo",
	})
}

// answer answers a request, as somebody's backend might.
func (d *driver) answer(id string) {
	status := []int{200, 200, 200, 201, 202, 204, 303, 400, 401, 403, 404, 409, 412, 422, 422, 422, 429, 500, 503, 0}[d.random.IntN(20)]
	headers := []string{"ETag", `"` + strconv.Itoa(d.random.IntN(3)) + `"`}
	if d.random.IntN(4) == 0 {
		headers = append(headers, "Retry-After", d.one([]string{"2", "0", "Sun, 09 Sep 1990 01:46:45 GMT", "soon"}))
	}
	if d.random.IntN(4) == 0 {
		headers = append(headers, "Location", d.one([]string{"/records/7", "https://elsewhere.example/", "x y"}))
	}
	headers = append(headers, "Content-Type", d.one([]string{"application/json", "application/json", "application/problem+json; charset=utf-8", "text/plain", "text/html"}))
	from := d.one([]string{"", "", "https://quay.example/records", "https://quay.example/sign-in?to=%2F", "https://elsewhere.example/x"})
	facts := []string{"", "", ""}
	if k := d.random.IntN(6); k < len(facts) {
		facts[k] = "1"
	}
	var body []byte
	if d.random.IntN(5) > 0 {
		body, _ = json.Marshal(d.body(status))
	}
	if d.random.IntN(20) == 0 && len(body) > 0 {
		body = body[:d.random.IntN(len(body))]
	}
	d.call(body, append([]string{"answered", id, strconv.Itoa(status), strings.Join(headers, string(partEnd)), from}, facts...)...)
}

func (d *driver) body(status int) any {
	path, _ := d.field()
	text := d.one([]string{"Is taken.", "Is not known.", "", "value is not a valid date", "<h1>No</h1>"})
	if status < 300 || d.random.IntN(6) == 0 {
		return d.record()
	}
	switch d.random.IntN(7) {
	case 0:
		return map[string]any{path: []any{text, "And more."}}
	case 1:
		return map[string]any{"errors": []any{map[string]any{"pointer": "#/" + path, "detail": text}, map[string]any{"detail": text}}, "title": "Refused"}
	case 2:
		var loc []any
		for _, part := range strings.Split("body/"+path, "/") {
			loc = append(loc, part)
		}
		return map[string]any{"detail": []any{map[string]any{"loc": loc, "msg": text}}}
	case 3:
		return text
	case 4:
		return map[string]any{"errors": map[string]any{strings.ToUpper(path): text, "": text}}
	case 5:
		return map[string]any{"message": text, "code": 7.0, "stack": "at f (x.js:1)"}
	}
	return []any{nil, true, map[string]any{"field": strings.ReplaceAll(path, "/", "."), "message": text}}
}

// record is a saved record, or almost one.
func (d *driver) record() map[string]any {
	whole := map[string]any{}
	for k := range d.form.Fields {
		field := &d.form.Fields[k]
		if d.random.IntN(6) == 0 {
			continue
		}
		at, row, inRows := strings.Cut(field.Path, "/*/")
		if !inRows {
			set(whole, strings.Split(field.Path, "/"), d.saved(field))
			continue
		}
		list, _ := whole[at].([]any)
		for len(list) < d.random.IntN(4) {
			list = append(list, map[string]any{})
		}
		for _, item := range list {
			set(item.(map[string]any), strings.Split(row, "/"), d.saved(field))
		}
		if list != nil && !strings.Contains(at, "/") {
			whole[at] = list
		}
	}
	return whole
}

func set(in map[string]any, path []string, v any) {
	for ; len(path) > 1; path = path[1:] {
		below, ok := in[path[0]].(map[string]any)
		if !ok {
			below = map[string]any{}
			in[path[0]] = below
		}
		in = below
	}
	in[path[0]] = v
}

func (d *driver) saved(field *form.Field) any {
	switch text := d.typed(field); field.Kind {
	case form.KindRows:
		return []any{}
	case form.KindBoolean:
		return d.random.IntN(2) == 0
	case form.KindNumber, form.KindInteger:
		return []any{9.4, 12, -1, 0, "7", nil}[d.random.IntN(6)]
	case form.KindChoices:
		return []any{text}
	default:
		return text
	}
}
