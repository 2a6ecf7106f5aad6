package jsontext

import (
	"bytes"
	"encoding/json"
	"io"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
)

// FuzzRead: what encoding/json reads is read, as the same value, and nothing else. Unlike it,
// nothing is read that is no UTF-8.
func FuzzRead(f *testing.F) {
	for _, text := range []string{
		`{"a":[1,-0,0.5,1e9,12E-3,true,false,null,"x"],"a":{"":{}}}`, ` [ ] `, `"\"\\\/\b\f\n\r\t\u00e9\ud83d\udea2\ud83d\u0041\udea2"`, "\"\xff\"", "", "{", "[1,]", `{"a"}`, `{,}`,
		"01", "1.", ".5", "-", "1e", "+1", "tru", `"`, `"\x"`, `"\u12"`, "\"\t\"", "1 2", "[1 2]", "\ufeff1", `"\`, `{"a":1,}`, "nullnull", `"é🚢"`,
	} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var want any
		decoder := json.NewDecoder(bytes.NewReader([]byte(text)))
		decoder.UseNumber()
		err := decoder.Decode(&want)
		if err == nil {
			if _, more := decoder.Token(); more != io.EOF {
				err = more
				if err == nil {
					err = io.ErrUnexpectedEOF
				}
			}
		}
		got, failed := Read(text)
		if err != nil || !utf8.ValidString(text) {
			require.Error(t, failed)
			return
		}
		require.NoError(t, failed)
		require.Equal(t, want, plain(got))
	})
}

func plain(v any) any {
	switch v := v.(type) {
	case Number:
		return json.Number(v)
	case []any:
		for k := range v {
			v[k] = plain(v[k])
		}
	case map[string]any:
		for name := range v {
			v[name] = plain(v[name])
		}
	}
	return v
}

func TestDepth(t *testing.T) {
	_, err := Read(strings.Repeat("[", MaxDepth) + strings.Repeat("]", MaxDepth))
	require.NoError(t, err)
	_, err = Read(strings.Repeat("[", MaxDepth+1) + strings.Repeat("]", MaxDepth+1))
	require.Error(t, err)
	_, err = Read(strings.Repeat(`{"a":`, 1_000_000))
	require.Error(t, err)
}
