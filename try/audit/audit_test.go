package audit_test

import (
	"context"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour"
	"leanwicket.dev/try/audit"
)

// Nothing is wrong with the pages that formhttp renders.
func TestOurOwnPages(t *testing.T) {
	for _, name := range harbour.Forms() {
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err)
		w := httptest.NewRecorder()
		page, err := formhttp.New(source.Form, source, formhttp.Options{Script: "/leanwicket.js", Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
			return formhttp.Answer{Status: 201}, nil
		}})
		require.NoError(t, err)
		page.ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
		findings, err := audit.Page(source.Form, w.Body)
		require.NoError(t, err)
		require.Empty(t, findings, name)
	}
}

// Whatever a page is, reading it ends, and every finding has a line of it.
func FuzzPage(f *testing.F) {
	f.Add(`<form><input name="vessel"><button>x`)
	f.Add(`<form method=post><label for=a>A</label><input id=a name=nights type=number maxlength=3 disabled><a onclick=x>`)
	f.Add("<form data-leanwicket-form=x>\n<textarea name=vessel></textarea></form><form>")
	source, err := declare.OpenFS(harbour.Files(), "visit.form.yaml")
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, text string) {
		findings, err := audit.Page(source.Form, strings.NewReader(text))
		if err != nil {
			return
		}
		for _, found := range findings {
			if found.Line < 1 || found.Line > strings.Count(text, "\n")+1 || found.What == "" || found.Remedy == "" {
				t.Errorf("%+v", found)
			}
		}
	})
}
