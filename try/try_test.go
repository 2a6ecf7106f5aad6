package try_test

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/dom/bundle"
	"leanwicket.dev/internal/chromium"
	"leanwicket.dev/try"
)

// The harbour office's pages, and what each breaks. The first is written as many
// are, the second with care, the third with the bundle, the last with a framework.
var pages = map[string][]string{
	"naive.html": {
		"load-over-typing", "quiet-while-typing", "invalid-by-script", "plain-buttons", "two-clicks-5", "two-clicks-40", "two-clicks-150", "enter-and-click",
		"pending-told", "pending-ends", "edit-while-sending", "refusal-at-its-field", "refusal-focus", "refusal-goes", "signed-out", "lost-reply", "quiet-after-success",
	},
	"careful.html":   {"edit-while-sending", "nothing-swallowed", "lost-reply"},
	"readymade.html": nil,
	"react/built":    {"load-fails", "pending-ends", "edit-while-sending", "refusal-focus", "nothing-swallowed", "lost-reply"},
}

// copied copies the pages, with the bundle beside them.
func copied(t *testing.T) (dir string, source *declare.Source) {
	if testing.Short() {
		t.Skip("starts a browser")
	}
	if chromium.Find() == "" {
		t.Skip("no Chromium is installed: apt-get install chromium, or run ./test")
	}
	dir = t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(filepath.Join("..", "harbour", "pages"))))
	source, err := declare.Open(filepath.Join("..", "harbour", "demo", "mooring.form.yaml"))
	require.NoError(t, err)
	beside := filepath.Join(dir, "leanwicket")
	require.NoError(t, os.RemoveAll(beside))
	require.NoError(t, os.Mkdir(beside, 0o755))
	for _, name := range bundle.Names() {
		data, err := bundle.File(name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(beside, name), data, 0o644))
	}
	compiled, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(beside, "mooring.form"), compiled, 0o644))
	return dir, source
}

func broken(t *testing.T, source *declare.Source, page string, only []string) []string {
	answer, err := try.Run(context.Background(), source, try.Options{Page: page, Only: only})
	require.NoError(t, err)
	var list []string
	for _, r := range answer.Results {
		require.NotEqual(t, try.CannotTell, r.Verdict, "%s: %s", r.Trial, r.Why)
		if r.Verdict == try.Broken {
			list = append(list, r.Trial)
			require.NotEmpty(t, r.Timeline)
		}
	}
	return list
}

// Each page breaks what it is known to break, and nothing else, at every run: TRIES
// says how many, ./test --long makes ten.
func TestPages(t *testing.T) {
	dir, source := copied(t)
	runs := 1
	if n, err := strconv.Atoi(os.Getenv("TRIES")); err == nil {
		runs = n
	}
	for page, breaks := range pages {
		for range runs {
			require.Equal(t, breaks, broken(t, source, filepath.Join(dir, page), nil), page)
		}
	}
}

// mistakes are those of the naive page: the trials that find each, what is written
// there, and what would be right.
var mistakes = []struct {
	found    []string
	old, new string
}{
	{[]string{"load-over-typing"}, `form.elements["vessel/name"].value = record`, `form.elements["vessel/name"].value ||= record`},
	{[]string{"quiet-while-typing"}, "form.addEventListener(\"input\", e => {\n    show(e.target)", "form.addEventListener(\"change\", e => show(e.target))\n  form.addEventListener(\"input\", e => {"},
	{[]string{"invalid-by-script"}, "e.preventDefault()\n    apply.textContent", "e.preventDefault()\n    if (e.submitter === null && controls.map(show).includes(false)) return\n    apply.textContent"},
	{[]string{"plain-buttons"}, "<button>Berth", `<button type="button">Berth`},
	{[]string{"two-clicks-5", "two-clicks-40", "two-clicks-150", "enter-and-click"}, `apply.textContent = "Sending…"`, `if (apply.textContent !== "Apply") return; apply.textContent = "Sending…"`},
	{[]string{"pending-told"}, `apply.textContent = "Sending…"`, `apply.textContent = message.ariaLive = "polite"; message.textContent = "Being sent."; apply.textContent = "Sending…"`},
	{[]string{"pending-ends"}, `method: "POST",`, `method: "POST", signal: AbortSignal.timeout(8000),`},
	{[]string{"edit-while-sending"}, `apply.textContent = "Sending…"`, `apply.textContent = "Sending…"; controls.forEach(c => { c.readOnly = true })`},
	{[]string{"refusal-at-its-field"}, "const body = await response.json()", `const body = await response.json(), wrong = form.elements[body.errors[0].pointer.slice(2)]
        wrong?.setAttribute("aria-invalid", "true")
        wrong?.setAttribute("aria-describedby", "message")`},
	{[]string{"refusal-focus"}, "const body = await response.json()", "const body = await response.json()\n        form.elements[body.errors[0].pointer.slice(2)]?.focus()"},
	{[]string{"refusal-goes"}, "window.onbeforeunload = () => true", "window.onbeforeunload = () => true\n    message.textContent = \"\""},
	{[]string{"signed-out"}, `location.href = "/signin.html"`, `message.textContent = "Sign in in another window, then apply again."`},
	{[]string{"lost-reply"}, `headers: {`, `headers: { "Idempotency-Key": (window.key ||= crypto.randomUUID()),`},
	{[]string{"quiet-after-success"}, "form.reset()", "form.reset()\n        window.onbeforeunload = null"},
}

// Each mistake of the naive page that is mended turns its trials, and none else:
// with LONG=1 every trial is made, otherwise its own.
func TestMistakes(t *testing.T) {
	dir, source := copied(t)
	naive := filepath.Join(dir, "naive.html")
	text, err := os.ReadFile(naive)
	require.NoError(t, err)
	var known []string
	for _, m := range mistakes {
		known = append(known, m.found...)
		require.Equal(t, 1, strings.Count(string(text), m.old), m.old)
		require.NoError(t, os.WriteFile(naive, []byte(strings.Replace(string(text), m.old, m.new, 1)), 0o644))
		only := m.found
		want := []string(nil)
		if os.Getenv("LONG") != "" {
			only = nil
			want = slices.DeleteFunc(slices.Clone(pages["naive.html"]), func(trial string) bool { return slices.Contains(m.found, trial) })
		}
		require.Equal(t, want, broken(t, source, naive, only), m.new)
	}
	slices.Sort(known)
	breaks := slices.Clone(pages["naive.html"])
	slices.Sort(breaks)
	require.Equal(t, breaks, known, "each broken trial has its mistake")
}

// The docs say how many lines each page has, how many of them are script, and how
// many trials it breaks.
func TestLinesInTheDocs(t *testing.T) {
	docs, err := os.ReadFile(filepath.Join("..", "docs", "try.md"))
	require.NoError(t, err)
	for page, breaks := range pages {
		file, row := page, "`"+page+"`"
		if page == "react/built" {
			file, row = "react/src/main.jsx", "`react/`, with plain state"
		}
		text, err := os.ReadFile(filepath.Join("..", "harbour", "pages", file))
		require.NoError(t, err)
		lines, script := strings.Count(string(text), "\n"), 0
		if _, after, found := strings.Cut(string(text), "<script>\n"); found {
			inside, _, _ := strings.Cut(after, "</script>")
			script = strings.Count(inside, "\n")
		} else if strings.HasSuffix(file, ".jsx") {
			script = lines
		}
		_, rest, found := strings.Cut(string(docs), "\n| "+row)
		require.True(t, found, row)
		line, _, _ := strings.Cut(rest, "\n")
		cells := strings.Split(line, " | ")
		require.Equal(t, []string{strconv.Itoa(lines), strconv.Itoa(script), strconv.Itoa(len(breaks)) + " |"}, cells[1:], page)
	}
}

// A page whose controls have names of their own is found by selectors.
func TestSelectors(t *testing.T) {
	_, _ = copied(t)
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("tour.form.yaml", `form: tour
schema: {properties: {name: {type: string}}, required: [name]}
fields: {name: {control: "#guest"}}
submit: {url: "https://tours.example/api/tours", control: "#go"}
`)
	write("index.html", `<!doctype html>
<title>Tour</title>
<div><input id="guest"> <span id="go" role="button" tabindex="0">Go</span> <p role="status"></p></div>
<script>
  const guest = document.getElementById("guest"), said = document.querySelector("[role=status]")
  document.getElementById("go").onclick = async () => {
    if (guest.value === "") return said.textContent = "Who comes?"
    const response = await fetch("https://tours.example/api/tours", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ name: guest.value }) })
    said.textContent = response.ok ? "You are booked." : "No."
  }
</script>`)
	source, err := declare.Open(filepath.Join(dir, "tour.form.yaml"))
	require.NoError(t, err)
	require.Equal(t, []string{"two-clicks-40"}, broken(t, source, dir, []string{"invalid-by-button", "two-clicks-40", "success-told"}))
}
