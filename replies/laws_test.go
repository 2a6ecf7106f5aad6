package replies_test

import (
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/replies"
)

// writer writes random bodies of the shapes that servers use, and keeps what is a message.
type writer struct {
	t        *rapid.T
	messages map[string]string // by text: the path where it belongs, or nothing
}

func (w *writer) pick(list ...string) string { return rapid.SampledFrom(list).Draw(w.t, "pick") }

func (w *writer) message(path string) string {
	text := "Message " + strconv.Itoa(len(w.messages)) + "."
	w.messages[text] = path
	return text
}

// noise is what no applicant should see.
func (w *writer) noise(e map[string]any) map[string]any {
	for range rapid.IntRange(0, 3).Draw(w.t, "noise") {
		e[w.pick("traceId", "timestamp", "status", "requestId", "stackTrace", "instance", "input", "rejectedValue", "documentation_url")] = "noise"
	}
	return e
}

// name writes a path as one server or another does.
func (w *writer) name(path string) any {
	parts := strings.Split(path, "/")
	switch w.pick("pointer", "fragment", "dots", "brackets", "list", "below", "case") {
	case "pointer":
		return "/" + path
	case "fragment":
		return "#/" + path
	case "brackets":
		return parts[0] + "[" + strings.Join(parts[1:], "][") + "]"
	case "below":
		return "/data/attributes/" + path
	case "case":
		return strings.ToUpper(strings.Join(parts, "."))
	default:
		return strings.Join(parts, ".")
	}
}

func (w *writer) entry(path string) map[string]any {
	e := map[string]any{
		w.pick("message", "detail", "msg", "description", "defaultMessage", "reason"):               w.message(path),
		w.pick("pointer", "field", "path", "loc", "param", "property", "propertyPath", "attribute"): w.name(path),
	}
	return w.noise(e)
}

// Every message is on its field or on the form, and nothing else is shown.
func TestEveryMessageIsShownAndNothingElse(t *testing.T) {
	pilot := openForm(t, "pilot.form.yaml")
	paths := []string{"slot", "crew/0/name", "crew/11/licence", "crew/1/name"}
	rapid.Check(t, func(t *rapid.T) {
		w := writer{t, map[string]string{}}
		count := rapid.IntRange(1, 12).Draw(t, "entries")
		var entries any
		if rapid.Bool().Draw(t, "as a map") {
			fields := map[string]any{}
			for range count {
				path := w.pick(paths...)
				key, _ := w.name(path).(string)
				if fields[key] == nil {
					fields[key] = []any{w.message(path)}
				}
			}
			if rapid.Bool().Draw(t, "of the whole") {
				fields["non_field_errors"] = []any{w.message("")}
			}
			entries = fields
		} else {
			var list []any
			for range count {
				list = append(list, w.entry(w.pick(paths...)))
			}
			entries = list
		}
		var body any = w.noise(map[string]any{w.pick("errors", "violations", "details", "issues", "fieldErrors", "invalid-params"): entries})
		switch w.pick("plain", "error", "data", "list") {
		case "error":
			body = w.noise(map[string]any{"error": body})
		case "data":
			body = map[string]any{"data": body, "success": false}
		case "list":
			body = map[string]any{"errors": []any{map[string]any{"message": "A heading.", "extensions": body}}}
		}
		shown := map[string]string{}
		for _, p := range replies.Place(pilot, replies.Response{Status: 422, Body: body}) {
			shown[p.Text] = p.Path
		}
		require.Equal(t, w.messages, shown, "%v", body)
	})
}
