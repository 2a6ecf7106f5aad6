package replies_test

import (
	"net/url"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

func declared(t testing.TB, text string) *form.Form {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}, error: {type: string}}}\nsubmit: {url: /plots}\n" + text)}}, "f.form.yaml")
	require.NoError(t, err)
	compiled, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	f, err := form.Read(compiled)
	require.NoError(t, err)
	require.Equal(t, source.Form.Declaration, f.Declaration)
	return f
}

// An address from a reply is resolved against the one that answered, and leads to the page's own
// site or to one that the form lists: nowhere else.
func TestWhereAReplyLeads(t *testing.T) {
	const own, pay = "https://quay.example", "https://pay.example:8443"
	f := declared(t, "origins: ['"+pay+"']\n")
	for _, c := range []struct{ from, location, to string }{
		{"/plots", "/plots/7?new=1#top", "/plots/7?new=1#top"},
		{own + "/plots", "/plots/7", "/plots/7"},
		{own + "/plots", own + "/plots/7", "/plots/7"},
		{own + "/plots", "HTTPS://Quay.Example:443/plots/7", "/plots/7"},
		{own + "/plots", "http://quay.example/plots/7", ""},
		{own + "/plots", own + ":444/plots/7", ""},
		{own + "/a/plots?x=/y/", "7", "/a/7"},
		{own + "/a/plots/", "../7", "/a/7"},
		{own + "/a/plots/", "./7/..", "/a/plots/"},
		{own + "/a/plots", "?page=2", "/a/plots?page=2"},
		{own + "/a/plots", "#receipt", "/a/plots#receipt"},
		{own, "7", "/7"},
		{own + "/plots", "//evil.example/7", ""},
		{own + "/plots", "/..//evil.example/7", ""},
		{own + "/plots", "/./\\evil.example", ""},
		{own + "/plots", "/\t/evil.example", ""},
		{own + "/plots", "\\\\evil.example", ""},
		{own + "/plots", "https:\\\\evil.example", ""},
		{own + "/plots", "https:evil.example", ""},
		{own + "/plots", own + "@evil.example/", ""},
		{own + "/plots", own + ".evil.example/", ""},
		{own + "/plots", "javascript:alert(1)", ""},
		{own + "/plots", "mailto:a@quay.example", ""},
		{own + "/plots", "x y", ""},
		{own + "/plots", "", ""},
		{own + "/plots", pay + "/bills/7", pay + "/bills/7"},
		{own + "/plots", "//pay.example:8443/bills/7", pay + "/bills/7"},
		{pay + "/plots", "/bills/7", pay + "/bills/7"},
		{pay + "/plots", own + "/plots/7", "/plots/7"},
		{"https://api.example/plots", "/plots/7", ""},
		{"https://api.example/plots", own + "/plots/7", "/plots/7"},
	} {
		e := replies.Event(f, lifecycle.Effect{Kind: lifecycle.EffectSend}, replies.Received{Status: 201, Header: map[string]string{"Location": c.location}, From: c.from, Own: own})
		require.Equal(t, c.to, e.Reply.To, "%s, answered from %s", c.location, c.from)
	}
}

// A form's own destination is a place of the page, wherever the reply came from.
func TestWhereAFormGoes(t *testing.T) {
	const own = "https://quay.example"
	to := func(policies, body string) string {
		e := replies.Event(declared(t, policies), lifecycle.Effect{Kind: lifecycle.EffectSend}, replies.Received{
			Status: 201, Header: map[string]string{"Content-Type": "application/json", "Location": own + "/elsewhere"}, From: "https://api.example/plots", Own: own, Body: []byte(body),
		})
		return e.Reply.To
	}
	require.Equal(t, "/plots/7", to("accepted: {then: navigate, to: '/plots/{id}'}\n", `{"id": 7}`))
	require.Equal(t, "/elsewhere", to("accepted: {then: navigate, to: '/plots/{id}'}\n", `{}`), "what it names is not there")
	require.Equal(t, "", to("accepted: {then: navigate, to: 'https://pay.example/{id}'}\n", `{"id": 7}`))
	require.Equal(t, "https://pay.example/7", to("accepted: {then: navigate, to: 'https://pay.example/{id}'}\norigins: ['https://pay.example']\n", `{"id": 7}`))
}

// Where accepted.at has answered, the receipt is there.
func TestTheReceiptIsWhereItCameFrom(t *testing.T) {
	f := declared(t, "accepted: {at: '/plots/{id}/receipt'}\nsignInPaths: [/sign-in]\n")
	took := func(from string, status int) *lifecycle.Reply {
		e := replies.Event(f, lifecycle.Effect{Kind: lifecycle.EffectSend}, replies.Received{
			Status: status, Header: map[string]string{"Content-Type": "text/html"}, From: from, Own: "https://quay.example", Redirected: true, Body: []byte("<h1>"),
		})
		return e.Reply
	}
	for from, want := range map[string]lifecycle.ReplyKind{
		"https://quay.example/plots/7/receipt?x=1": lifecycle.ReplyAccepted, "https://quay.example/plots//receipt": lifecycle.ReplyUnknown,
		"https://quay.example/plots/7/receipt/": lifecycle.ReplyUnknown, "https://quay.example/plots/7/8/receipt": lifecycle.ReplyUnknown,
		"https://elsewhere.example/plots/7/receipt": lifecycle.ReplyUnknown, "https://quay.example/sign-in?next=/plots/7/receipt": lifecycle.ReplyDenied,
		"https://elsewhere.example/sign-in": lifecycle.ReplyUnknown,
	} {
		require.Equal(t, want, took(from, 200).Kind, from)
	}
	require.Equal(t, "/plots/7/receipt?x=1", took("https://quay.example/plots/7/receipt?x=1", 200).To)
	require.Equal(t, lifecycle.ReplyUnknown, took("https://quay.example/plots/7/receipt", 500).Kind)
	require.Equal(t, lifecycle.ReplyDenied, took("https://quay.example/sign-in", 500).Kind)
}

// A member by which a body says no is an answer where the form has a field of its name.
func TestAFieldIsNoRefusal(t *testing.T) {
	kind := func(policies, body string) lifecycle.ReplyKind {
		response, _ := replies.Received{Status: 200, Header: map[string]string{"Content-Type": "application/json"}, Body: []byte(body)}.Judge(declared(t, policies), lifecycle.EffectSend)
		return response.Kind()
	}
	require.Equal(t, lifecycle.ReplyAccepted, kind("", `{"error": "a field"}`))
	require.Equal(t, lifecycle.ReplyUnknown, kind("", `{"error": "a field", "errors": ["No."]}`))
	require.Equal(t, lifecycle.ReplyAccepted, kind("refused: {inBody: none}\n", `{"ok": false}`))
	require.Equal(t, lifecycle.ReplyUnknown, kind("accepted: {has: /id}\n", `{"keeper": "Ada"}`))
	require.Equal(t, lifecycle.ReplyAccepted, kind("accepted: {has: none}\n", ``))
}

// What a check brings counts only where it is an answer to it.
func TestChecksPassOnlyWhereTheyAreAnswered(t *testing.T) {
	f := declared(t, "fields: {keeper: {check: {url: '/keepers/{value}'}}}\nsignInPaths: [/sign-in]\nrefused: {inBody: /failure}\naccepted: {has: /id}\n")
	for _, c := range []struct {
		status     int
		kind, body string
		from       string
		want       string
	}{
		{200, "application/json", `{}`, "", "checked"},
		{204, "", "", "", "checked"},
		{200, "application/json", `{"failure": {"keeper": "Is away."}}`, "", "checked keeper: Is away."},
		{422, "application/json", `{"message": "Is away."}`, "", "checked keeper: Is away."},
		{200, "text/html", "<h1>", "", "check failed"},
		{200, "application/json", `{"fail`, "", "check failed"},
		{200, "application/json", `{}`, "/sign-in", "check failed"},
		{401, "", "", "", "check failed"},
		{304, "", "", "", "check failed"},
	} {
		e := replies.Event(f, lifecycle.Effect{Kind: lifecycle.EffectCheck, Place: form.Place{Field: 0, Row: -1}}, replies.Received{
			Status: c.status, Header: map[string]string{"Content-Type": c.kind}, Body: []byte(c.body), From: c.from, Redirected: c.from != "",
		})
		got := e.Kind.String()
		for _, entry := range e.Issues {
			if entry.Path == "" {
				entry.Path = "keeper"
			}
			got += " " + entry.Path + ": " + entry.Text
		}
		require.Equal(t, c.want, got, "%+v", c)
	}
}

// What came is in the event, for the record.
func TestWhatCameIsRecorded(t *testing.T) {
	f := declared(t, "prefill: {url: /plots/7}\nsignInPaths: [/sign-in]\n")
	e := replies.Event(f, lifecycle.Effect{Kind: lifecycle.EffectLoad, Request: 1}, replies.Received{
		Status: 200, Header: map[string]string{"content-type": "text/html"}, From: "https://quay.example/sign-in?x=1", Own: "https://quay.example", Redirected: true, Now: time.Now(),
	})
	require.Equal(t, lifecycle.Came{Status: 200, Type: "text/html", From: "/sign-in?x=1"}, *e.Came)
	require.True(t, e.Denied)
}

// A field is meant by its whole name, in whatever case, before it is by the last parts of another's.
func TestTheWholeNameWins(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {email: {type: string}, applicant: {properties: {email: {type: string}}}}}\nsubmit: {url: /plots}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	placed := func(text string) []replies.Placed {
		return replies.Place(source.Form, replies.Response{Status: 422, Body: body(t, text)})
	}
	require.Equal(t, lifecycle.Entry{Path: "applicant/email", Text: "The Email field is not valid."}, placed(`{"errors":{"Applicant.Email":["The Email field is not valid."]}}`)[0].Entry)
	got := placed(`{"errors":[{"message":"Email taken","path":["updatePlot","applicant","email"],"extensions":{"code":"BAD_USER_INPUT","field":"applicant.email"}}]}`)
	require.Len(t, got, 1)
	require.Equal(t, lifecycle.Entry{Path: "applicant/email", Code: "BAD_USER_INPUT", Text: "Email taken"}, got[0].Entry)
	got = placed(`{"errors":[{"message":"Two things","extensions":{"errors":[{"field":"email"},{"field":"applicant.email","message":"Taken"}]}}]}`)
	require.Equal(t, []lifecycle.Entry{{Path: "email", Text: "Two things"}, {Path: "applicant/email", Text: "Taken"}}, []lifecycle.Entry{got[0].Entry, got[1].Entry})
}

// Whatever comes, a reply leads nowhere but to the page's own site or to a listed one, as the standard library
// resolves it as well, and a page that nobody was sent to is no acceptance.
func FuzzReceived(f *testing.F) {
	const own, pay = "https://quay.example", "https://pay.example"
	f.Add(201, "application/json", own+"/plots", "/plots/7", "120", `{"id": 7}`)
	f.Add(200, "text/html; charset=x", own+"/sign-in?next=/", "//evil.example", "Fri, 02 May 2031 10:00:30 GMT", "<h1>Sign in")
	f.Add(422, "application/problem+json, text/plain", "", pay+"/bills/../7", "-1", "\xef\xbb\xbf{\"errors\": [1e400]}")
	f.Add(200, "", "https://api.example", "..//a/./b#c", "", "\xff{")
	plots := declared(f, "origins: ['"+pay+"']\nsignInPaths: [/sign-in]\naccepted: {has: /id}\n")
	f.Fuzz(func(t *testing.T, status int, contentType, from, location, retry, body string) {
		r := replies.Received{
			Status: status, From: from, Redirected: from != "", Own: own, Body: []byte(body),
			Header: map[string]string{"Content-Type": contentType, "Location": location, "Retry-After": retry, "ETag": retry},
		}
		for _, asked := range []lifecycle.EffectKind{lifecycle.EffectSend, lifecycle.EffectLoad, lifecycle.EffectCheck} {
			e := replies.Event(plots, lifecycle.Effect{Kind: asked}, r)
			if e.Reply == nil {
				continue
			}
			if e.Reply.Kind == lifecycle.ReplyAccepted {
				require.True(t, status >= 200 && status < 300)
				require.NotEqual(t, "text/html", contentType)
			}
			if to := e.Reply.To; to != "" {
				page, err := url.Parse(own + "/page")
				require.NoError(t, err)
				target, err := page.Parse(to)
				require.NoError(t, err, to)
				require.Contains(t, []string{own, pay}, target.Scheme+"://"+target.Host, "%q from %q", location, from)
			}
		}
	})
}
