package entry

import (
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
)

func openForm(t *testing.T, name string) *page {
	source, err := declare.OpenFS(harbour.Files(), name)
	require.NoError(t, err)
	compiled, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	declared := read(compiled, "https://quay.example", 0)
	p := pages[len(pages)-1]
	p.out.bytes = append(p.out.bytes, declared...)
	p.happened("open", texts{strings.Repeat("07", 16)}, nil)
	return p
}

// told gives the records of a patch that begin with a word.
func told(p *page, what string) (records []string) {
	for record := range strings.SplitSeq(p.out.take(), string(recordEnd)) {
		if strings.HasPrefix(record, what+string(partEnd)) {
			records = append(records, strings.ReplaceAll(strings.TrimSuffix(record, string(partEnd)), string(partEnd), "|"))
		}
	}
	return records
}

// A session as the script drives it: each event brings back what changed, what is
// to be sent, and what the next page would need.
func TestPatches(t *testing.T) {
	p := openForm(t, "visit.form.yaml")
	require.Equal(t, []string{"form|" + strconv.Itoa(int(p.number)) + "|visit|Visit|submit|" + protocol + "|"}, told(p, "form"))
	p.happened("edit", texts{"vessel", "Egret\x1e\x1f"}, nil)
	require.Equal(t, []string{"field|vessel|0|1|1||||Egret||1|Egret"}, told(p, "field"), "the ends of parts are in no text")
	p.happened("edit", texts{"nights", "3"}, nil)
	p.now = time.Second
	p.happened("submit", texts{"submit"}, nil)
	fetch := told(p, "fetch")
	require.Len(t, fetch, 1)
	parts := strings.Split(fetch[0], "|")
	require.Equal(t, []string{"send", "POST", "/visits", `{"vessel":"Egret\u001e\u001f","nights":3}`}, parts[2:6])
	p.happened("answered", texts{parts[1], "201", "Location" + string(partEnd) + "/visits/7", "https://quay.example/visits"}, []byte(`{"id": 7}`))
	require.Equal(t, []string{"navigate|/visits/7"}, told(p, "navigate"))
	p.happened("elapsed", texts{"99"}, nil)
	p.happened("sing", texts{}, nil)
	require.Equal(t, []string{"error|unknown: sing"}, told(p, "error"))
}

// A reset takes the errors off the page.
func TestAResetTakesErrorsOffThePage(t *testing.T) {
	p := openForm(t, "visit.form.yaml")
	p.out.take()
	p.happened("submit", texts{"submit"}, nil)
	require.Len(t, told(p, "field"), 2)
	p.happened("reset", texts{}, nil)
	require.Len(t, told(p, "field"), 2)
}
