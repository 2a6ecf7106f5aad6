package formhttp_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

// pence is an amount that is written with a sign of the currency.
type pence int

func (p *pence) UnmarshalText(text []byte) error {
	var pounds, rest int
	if _, err := fmt.Sscanf(string(text), "£%d.%02d", &pounds, &rest); err != nil {
		return errors.New("An amount is written £12.50.")
	}
	*p = pence(100*pounds + rest)
	return nil
}

func (p pence) MarshalText() ([]byte, error) { return fmt.Appendf(nil, "£%d.%02d", p/100, p%100), nil }

type loan struct {
	Title string `json:"title" label:"Title" form:"required"`
	Terms struct {
		Back time.Time `json:"back" label:"Back on" form:"format=date; required"`
		Fee  pence     `json:"fee" label:"Fee" form:"required"`
	} `json:"terms" form:"required"`
	Copies int8 `json:"copies,string" label:"Copies" form:"minimum=1"`
	Fines  []struct {
		Fee pence `json:"fee" label:"Fine" form:"required"`
	} `json:"fines" label:"Fines"`
}

// A form of a struct is loaded, refused, and decoded as that struct. What its types do not read is
// refused at its field.
func TestTyped(t *testing.T) {
	source, err := declare.FromStruct[loan]("form: loan\nprefill: {url: /loan, needed: true}\nsubmit: {url: /loan, method: PUT}\n")
	require.NoError(t, err)
	saved := loan{Title: "Tides", Copies: 2}
	saved.Terms.Back, saved.Terms.Fee = time.Date(2031, 5, 2, 0, 0, 0, 0, time.UTC), 1250
	h, err := formhttp.For(source.Form, formhttp.Typed[loan]{
		Load: func(*http.Request) (loan, string, error) { return saved, "v1", nil },
		Submit: func(_ context.Context, values loan, _ formhttp.Submission) (formhttp.Answer, error) {
			saved = values
			return formhttp.Answer{Status: 200}, nil
		},
	}, formhttp.Options{})
	require.NoError(t, err)
	ask := func(method string, form url.Values) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, "/loan", strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	opened := ask("GET", nil).Body.String()
	for _, shown := range []string{`value="Tides"`, `value="2031-05-02"`, `value="£12.50"`, `value="2"`} {
		require.Contains(t, opened, shown)
	}
	send := func(change map[string]string) *httptest.ResponseRecorder {
		form := url.Values{
			"title": {"Tides"}, "terms/back": {"2031-06-01"}, "terms/fee": {"£9.00"}, "copies": {"3"}, "fines": {"1"}, "fines/0/fee": {"£0.50"},
			"leanwicket-version": {`"v1"`}, "leanwicket-key": {fmt.Sprint(change)},
		}
		for name, text := range change {
			form.Set(name, text)
		}
		return ask("POST", form)
	}
	require.Equal(t, 422, send(map[string]string{"copies": "300"}).Code, "an int8")
	for _, place := range []string{"terms/fee", "fines/0/fee"} {
		w := send(map[string]string{place: "nine"})
		require.Equal(t, 422, w.Code)
		require.Contains(t, w.Body.String(), "An amount is written £12.50.")
	}
	require.Equal(t, "Tides", saved.Title)
	require.EqualValues(t, 2, saved.Copies, "nothing was stored")
	require.Equal(t, 303, send(nil).Code)
	require.EqualValues(t, []any{int8(3), pence(900), pence(50), "2031-06-01"}, []any{saved.Copies, saved.Terms.Fee, saved.Fines[0].Fee, saved.Terms.Back.Format(time.DateOnly)})
}
