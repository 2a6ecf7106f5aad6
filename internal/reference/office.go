package reference

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"pgregory.net/rapid"

	"leanwicket.dev/replies"
)

// record is a JSON document: texts, numbers as they are written, true, and rows.
type record = map[string]any

// office applies each key once and gives the same answer to every repeat. Before
// the version is compared the key is asked.
type office struct {
	rules    *rules
	record   record
	version  int
	next     int // of marks that are in no other value
	answers  map[string]replies.Response
	contents map[string]string // what came under a key
	applied  []string          // keys, in their order
	changed  bool              // by somebody else
}

func newOffice(t *rapid.T, r *rules) *office {
	o := &office{rules: r, answers: map[string]replies.Response{}, contents: map[string]string{}, version: 1}
	o.record = record{"owner": record{"name": o.mark("o")}, "note": o.mark("o"), "length": json.Number(strconv.Itoa(10 * (1 + o.next)))}
	if rapid.Bool().Draw(t, "the record's box") {
		o.record["box"] = true
	}
	if r.beyond {
		o.record["extra"] = []any{json.Number("123456789012345678901234567890.10"), o.mark("x")}
		o.record["owner"].(record)["vat"] = o.mark("x")
	}
	if r.group {
		var rows []any
		for range rapid.SampledFrom(sizes).Draw(t, "rows of the record") {
			rows = append(rows, o.row())
		}
		if rows != nil {
			o.record["crew"] = rows
		}
	}
	return o
}

// mark is a text that is nowhere else.
func (o *office) mark(kind string) string {
	o.next++
	return kind + strconv.Itoa(o.next)
}

func (o *office) row() record {
	return record{"id": o.mark("row"), "name": o.mark("o"), "role": o.mark("o")}
}

func (o *office) rows() []any {
	rows, _ := o.record["crew"].([]any)
	return rows
}

// elsewhere is what somebody else does to the record.
func (o *office) elsewhere(t *rapid.T) string {
	o.version++
	o.changed = true
	rows := slices.Clone(o.rows())
	what := rapid.SampledFrom([]string{"note", "name", "add", "add", "remove", "cell"}).Draw(t, "elsewhere")
	if len(rows) == 0 && (what == "remove" || what == "cell") || !o.rules.group && what != "name" {
		what = "note"
	}
	switch what {
	case "note":
		o.record["note"] = o.mark("o")
	case "name":
		owner := record{"name": o.mark("o")}
		if was, _ := o.record["owner"].(record); was["vat"] != nil {
			owner["vat"] = was["vat"]
		}
		o.record["owner"] = owner
	case "add":
		rows = append(rows, o.row())
	case "remove":
		k := rapid.IntRange(0, len(rows)-1).Draw(t, "which")
		rows = slices.Delete(rows, k, k+1)
	case "cell":
		k := rapid.IntRange(0, len(rows)-1).Draw(t, "which")
		row := record{}
		for name, v := range rows[k].(record) {
			row[name] = v
		}
		row["role"] = o.mark("o")
		rows[k] = row
	}
	if o.rules.group {
		delete(o.record, "crew")
		if len(rows) > 0 {
			o.record["crew"] = rows
		}
	}
	return what
}

// copyOf is a copy that later changes do not reach.
func copyOf(r record) record {
	text, _ := json.Marshal(r)
	return decode(text)
}

func decode(text []byte) record {
	decoder := json.NewDecoder(strings.NewReader(string(text)))
	decoder.UseNumber()
	r := record{}
	if err := decoder.Decode(&r); err != nil {
		panic(err)
	}
	return r
}

// load answers a load. With whole it says also what is not there: a form leaves
// alone what no answer ever mentioned.
func (o *office) load(whole bool) replies.Response {
	body := copyOf(o.record)
	for _, path := range [...]string{"box", "note", "length", "last", "crew"} {
		if _, there := body[path]; !there && whole {
			body[path] = nil
		}
	}
	if owner, _ := body["owner"].(record); whole && owner["name"] == nil {
		if owner == nil {
			owner = record{}
		}
		owner["name"] = nil
		body["owner"] = owner
	}
	return replies.Response{Status: 200, Header: map[string]string{"ETag": o.tag()}, Body: body}
}

func (o *office) tag() string { return fmt.Sprintf(`"v%d"`, o.version) }

// receive takes a submission.
func (o *office) receive(t *rapid.T, key, version string, body []byte) (response replies.Response, complaint string) {
	if known, ok := o.answers[key]; ok {
		if o.contents[key] != string(body) {
			return known, "the key " + key[:6] + " carried " + o.contents[key] + " first, and " + string(body) + " now"
		}
		return known, ""
	}
	if content, seen := o.contents[key]; seen && content != string(body) {
		return replies.Response{}, "the key " + key[:6] + " carried " + content + " first, and " + string(body) + " now"
	}
	o.contents[key] = string(body)
	switch rapid.IntRange(0, 9).Draw(t, "office") {
	case 0:
		return replies.Response{Status: 401}, ""
	case 1:
		return replies.Response{Status: 503}, ""
	case 2:
		return o.settle(key, replies.Response{Status: 422, Body: record{"errors": record{"note": "No."}}}), ""
	}
	if o.rules.replaces && version != "" && version != o.tag() {
		return o.settle(key, replies.Response{Status: 412}), ""
	}
	sent := decode(body)
	o.applied = append(o.applied, key)
	response = replies.Response{Status: 201, Header: map[string]string{}}
	if o.rules.replaces {
		o.version++
		if o.rules.form.Submit.Method == "PATCH" {
			o.record = merged(copyOf(o.record), sent)
		} else {
			o.record = sent
		}
		if o.rules.beyond { // a row that has no name of its own is new
			for _, row := range rowsOf(o.record) {
				if at(row, "id") == "" {
					row["id"] = o.mark("row")
				}
			}
		}
		response.Status = 200
		response.Body = copyOf(o.record)
		if rapid.IntRange(0, 3).Draw(t, "the version is told") > 0 {
			response.Header["ETag"] = o.tag()
		}
	}
	return o.settle(key, response), ""
}

func (o *office) settle(key string, r replies.Response) replies.Response {
	o.answers[key] = r
	return r
}

// merged applies a merge patch (RFC 7396, section 2).
func merged(target, patch record) record {
	for name, value := range patch {
		switch value := value.(type) {
		case nil:
			delete(target, name)
		case record:
			below, _ := target[name].(record)
			if below == nil {
				below = record{}
			}
			if below = merged(below, value); len(below) > 0 {
				target[name] = below
			} else {
				delete(target, name)
			}
		default:
			target[name] = value
		}
	}
	return target
}

// at is a plain value of a record, as text.
func at(r record, path string) string {
	for {
		name, rest, deeper := strings.Cut(path, "/")
		switch v := r[name].(type) {
		case record:
			if deeper {
				r, path = v, rest
				continue
			}
			return ""
		case string:
			return v
		case json.Number:
			return v.String()
		case bool:
			if v {
				return "true"
			}
		}
		return ""
	}
}

// rowsOf are the rows of a record.
func rowsOf(r record) []record {
	list, _ := r["crew"].([]any)
	rows := make([]record, len(list))
	for k := range list {
		rows[k], _ = list[k].(record)
	}
	return rows
}
