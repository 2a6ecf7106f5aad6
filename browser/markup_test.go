//go:build !js

package browser_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/chromiumtest"
)

// Other people's markup: two forms of one kind on a page, rows in a table and in cards, a
// label around its control, a grid, places of the page's own, a button that adds before
// the one that sends. Neither form writes into the other.
func TestOtherPeoplesMarkup(t *testing.T) {
	headers := make(chan string, 9)
	b := scriptPage(t, strings.Replace(crewForm, "prefill: {url: /saved, ifEdited: ask}\n", "", 1), func(w http.ResponseWriter, r *http.Request) {
		if r.Method == "POST" {
			headers <- r.Header.Get("X-Harbour-Token") + " " + r.Header.Get("X-Signed")
			w.WriteHeader(422)
			fmt.Fprint(w, `{"errors": {"crew/10/name": ["Is on leave."]}}`)
			return
		}
		http.NotFound(w, r)
	})
	b.broken.Store(true)
	b.do(chromedp.Navigate(b.site + "/testdata/markup.html"))
	ready := `[...document.forms].every(f => f.dataset.leanwicketReady !== undefined)`
	b.becomes("true", ready)
	forms := `document.forms`
	for range 11 {
		b.js(forms + `.out.querySelector("[name=leanwicket-add]").click()`)
	}
	b.js(forms + `.back.querySelector("[name=leanwicket-add]").click()`)
	require.Equal(t, "11 1", b.js(forms+`.out.querySelectorAll("tbody tr").length + " " + `+forms+`.back.querySelectorAll("article").length`))
	require.Equal(t, `11 crew/10/name .* crew/10`, b.js(`(r => [r.querySelector("span").textContent, r.querySelector("input").name, r.querySelector("input").pattern, r.querySelector("button").value].join(" "))(`+forms+`.out.querySelector("tbody tr:last-of-type")`+`)`))
	require.Equal(t, "none", b.js(`getComputedStyle(document.querySelector("div.reason")).display`))
	b.js(forms + `.out.elements.fast.click()`)
	require.Equal(t, "flex", b.js(`getComputedStyle(document.querySelector("div.reason")).display`))

	// Enter sends, though a button that adds a row stands before.
	b.js(forms + `.out.elements.seats.focus()`)
	b.do(chromedp.KeyEvent("many\r"))
	b.becomes("false", `document.querySelector(".my-errors").hidden`)
	require.Equal(t, "11", b.js(forms+`.out.querySelectorAll("tbody tr").length`))
	require.Equal(t, "my-errors leanwicket-summary", b.js(`document.querySelector(".my-errors").className`))
	for _, link := range strings.Split(b.js(`[...document.querySelectorAll(".my-errors a")].map(a => a.getAttribute("href")).join("|")`), "|") {
		require.Equal(t, "out", b.js(`document.querySelector("`+link+`").form.id`), link)
	}
	described := func(form, name string) string {
		return b.js(`(c => (c.getAttribute("aria-describedby") || "").split(" ").filter(Boolean).map(id => document.getElementById(id).textContent).join(" "))(document.forms.` + form + `.elements["` + name + `"])`)
	}
	require.Equal(t, "seats: enter a whole number.", described("out", "seats"))
	require.Equal(t, "Name is missing.", described("out", "name"))
	require.Equal(t, "", described("back", "seats"), "the other form is as it was")
	require.Equal(t, "0", b.js(`document.querySelectorAll("label .leanwicket-issues, .grid .leanwicket-issues").length`))
	require.Equal(t, "name is missing.", b.js(`[...`+forms+`.back.querySelectorAll(".leanwicket-issues")].map(e => e.textContent).join()`), "of the row that was added there, and left")
	require.Equal(t, "Name *", b.js(forms+`.out.elements.name.labels[0].firstChild.data.trim()`))

	// The other form is sent, and says its own: at the place that its page has for it.
	b.js(forms + `.back.querySelector(":scope > button").click()`)
	b.becomes("Name is missing.", forms+`.back.querySelector("[data-leanwicket-issues]").textContent`)
	ids := b.js(`(all => all.length - new Set(all).size)([...document.querySelectorAll("[id]")].map(e => e.id))`)
	require.Equal(t, "0", ids, "no id is there twice")

	// A refusal finds the eleventh row. A reset takes everything away at once.
	b.js(`(leanwicket.tell(document.forms.out, "edit", "name", "Heron"), leanwicket.tell(document.forms.out, "edit", "seats", "4"))`)
	for row := range 11 {
		b.js(fmt.Sprintf(`leanwicket.tell(document.forms.out, "edit", "crew/%d/name", "Bo")`, row))
	}
	b.js(forms + `.out.querySelector("[value=submit]").click()`)
	b.becomes("refused", forms+`.out.dataset.leanwicketState`)
	require.Equal(t, "Is on leave.", described("out", "crew/10/name"))
	require.Equal(t, "gull send", <-headers, "a token of the page, and a header of its function")
	b.js(forms + `.out.reset()`)
	require.Equal(t, "true 0", b.js(`document.querySelector(".my-errors").hidden + " " + `+forms+`.out.querySelectorAll("[aria-invalid]").length`))

	// A form that a framework takes away and puts in again.
	b.js(forms + `.back.querySelector("[name=name]").focus()`)
	b.do(chromedp.KeyEvent("Egret"))
	b.js(`(f => { leanwicket.release(f); f.remove(); document.body.append(f); return leanwicket.bind(f) })(document.forms.back).then(() => "")`)
	require.Equal(t, "Egret", b.js(forms+`.back.elements.name.value`))
	require.Equal(t, "idle", b.js(forms+`.back.dataset.leanwicketState`))

	// Each form has a draft of its own.
	b.accept.Store(true)
	b.js(`leanwicket.tell(document.forms.out, "edit", "name", "Heron")`)
	b.do(chromedp.Navigate(b.site + "/testdata/markup.html"))
	b.becomes("true", ready)
	require.Equal(t, "Heron Egret", b.js(forms+`.out.elements.name.value + " " + `+forms+`.back.elements.name.value`))
}

// The page of docs/markup.md works as it is written: its command, its two pieces of a page,
// its script.
func TestTheDocsOfTheMarkupRun(t *testing.T) {
	ctx := chromiumtest.Open(t)
	docs, err := os.ReadFile(filepath.Join("..", "docs", "markup.md"))
	require.NoError(t, err)
	blocks := func(of string) (found []string) {
		for _, block := range regexp.MustCompile("(?s)```"+of+"\n(.*?)```").FindAllStringSubmatch(string(docs), -1) {
			found = append(found, block[1])
		}
		return found
	}
	html, scripts := blocks("html"), blocks("js")
	require.Len(t, html, 2)
	require.Len(t, scripts, 1)
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "mooring.form.yaml"), []byte("form: mooring\nschema: {properties: {vessel: {type: string}, crew: {type: array, items: {properties: {name: {type: string}}, required: [name]}}}, required: [vessel]}\nsubmit: {url: /permits}\n"), 0o644))
	command := regexp.MustCompile(`(?m)^    leanwicket (bundle .*)$`).FindSubmatch(docs)
	require.NotNil(t, command)
	program := filepath.Join(folder, "leanwicket")
	text, err := exec.Command("go", "build", "-o", program, "../cmd/leanwicket").CombinedOutput()
	require.NoError(t, err, string(text))
	run := exec.Command(program, strings.Fields(string(command[1]))...)
	run.Dir = folder
	text, err = run.CombinedOutput()
	require.NoError(t, err, string(text))
	page := "<!doctype html><title>Permits</title>" + html[0] + "<label>Vessel <input name=vessel></label>" + html[1] + "<button>Apply</button></form>"
	require.NoError(t, os.WriteFile(filepath.Join(folder, "public", "index.html"), []byte(page), 0o644))
	server := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(folder, "public"))))
	t.Cleanup(server.Close)

	b := &tab{t: t, ctx: ctx, site: server.URL}
	b.listen()
	b.broken.Store(true) // nobody takes the permit
	b.open("/")
	b.js(`document.querySelector("[value=crew]").click()`)
	b.js(`document.querySelector("[value=crew]").click()`)
	require.Equal(t, "2 crew/1/name crew/1", b.js(`(row => [row.cells[0].textContent, row.querySelector("input").name, row.querySelector("button").value].join(" "))(document.querySelector("tbody tr:last-of-type"))`))
	b.js(`document.querySelector("[value='crew/0']").click()`)
	require.Equal(t, "1", b.js(`document.querySelectorAll("tbody tr").length`))
	b.js(`[...document.querySelectorAll("button")].at(-1).click()`)
	b.becomes("Not sent: 2 answers need your attention.", `document.querySelector(".leanwicket-summary [role=alert]").textContent`)
	require.Equal(t, "name is missing. in TD", b.js(`(list => list.textContent + " in " + list.parentElement.tagName)(document.getElementById(document.forms[0].elements["crew/0/name"].getAttribute("aria-describedby").split(" ").at(-1)))`))
	require.Equal(t, "true", b.js(`((form, refreshTheList) => { `+scripts[0]+`; return leanwicket.state(form) === undefined })(document.forms[0], () => {})`))
}

// What the markup lacks is told once in the console, each with its remedy; a page that lacks
// nothing has a console without a word.
func TestWhatTheMarkupLacksIsTold(t *testing.T) {
	const page = `<!doctype html><title>Loans</title><script>globalThis.told = []; console.warn = text => told.push(text)</script><script src="/leanwicket/leanwicket.js" defer></script>
<form data-leanwicket-form="/f.form" method="post"><label>Reader <input name="reader"></label><p data-leanwicket-issues="reader"></p>
<div data-leanwicket-rows="books"><template><p data-leanwicket-row><input name="books/*/title"><i data-leanwicket-issues="books/*/title"></i></p></template></div><button value="send">Lend</button></form>`
	for changed, told := range map[[2]string]string{
		{"", ""}: "",
		{`data-leanwicket-issues="reader"`, `data-leanwicket-issues="raeder"`}:         `leanwicket: data-leanwicket-issues="raeder" is of no field of the form; right would be one of: reader, books, books/*/title`,
		{`<input name="reader">`, ``}:                                                  `leanwicket: reader has to be answered and has no control; right would be a control with name="reader"`,
		{`data-leanwicket-rows="books"`, `data-leanwicket-rows="book"`}:                `leanwicket: data-leanwicket-rows="book" is of no field of the form; right would be one of: reader, books, books/*/title`,
		{`<template><p data-leanwicket-row>`, `<p data-leanwicket-row hidden></p><p>`}: `leanwicket: rows of books have no template; right would be a <template> with one row in the element with data-leanwicket-rows="books"`,
		{`method="post"`, `data-leanwicket-headers="singed"`}:                          `leanwicket: the window has no function singed, so that requests go without its headers; right would be data-leanwicket-headers="FUNCTION"`,
		{`method="post"`, `data-leanwicket-token="X-Reader reader"`}:                   `leanwicket: no <meta name="reader"> has the token of X-Reader; right would be data-leanwicket-token="HEADER META"`,
	} {
		b := scriptPage(t, "form: loan\nschema: {properties: {reader: {type: string}, books: {type: array, items: {properties: {title: {type: string}}}}}, required: [reader]}\nsubmit: {url: /loans}\n", func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, strings.Replace(page, changed[0], changed[1], 1))
		})
		b.open("/page")
		for range 12 {
			b.js(`leanwicket.session(document.forms[0]).addRow("books")`)
		}
		b.js(`(s => (s.edit("reader", "Ann"), s.submit()))(leanwicket.session(document.forms[0]))`)
		b.becomes("unsettled", `leanwicket.state(document.forms[0])`)
		require.Equal(t, told, b.js(`told.join("\n")`), changed)
	}
}
