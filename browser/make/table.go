package main

// The table of what the script and the core say to each other. It makes three ends: the one in
// Go (entry/table.go), the one in JavaScript (script/table.js), and the types of
// leanwicket.d.ts. A new attribute of a field is one line here.

// kind is what a part of a record is: each travels as a text.
type kind string

const (
	text   kind = ""
	fact   kind = "?" // "1", or nothing
	number kind = "#"
	words  kind = "*" // words with a space between
	data   kind = "=" // a JSON text, or nothing
)

// part is one part of a record.
type part struct {
	name string
	kind kind
	from string // the Go expression that it comes from; empty means a parameter of its name
	ts   string // its type in TypeScript, where the kind does not say it
	doc  string // its comment in TypeScript; where there is none, the part is not in the types
}

// record is what the core says in one go.
type record struct {
	name  string
	takes string // the Go parameters that the parts come from; empty means one for each part
	parts []part
	each  *each
}

// each is what a record says of each element of a list, behind its parts.
type each struct {
	name  string // of the list, in JavaScript
	over  string // the Go expression of the list
	as    string // the Go name of an element
	parts []part
}

// issueParts are what is said of an issue.
var issueParts = []part{
	{"source", text, "issue.Source.String()", `"rule" | "check" | "server"`, "Where it comes from."},
	{"code", text, "issue.Code", "", "What is wrong, as a word."},
	{"shown", fact, "issue.Shown", "", "Whether it is the moment to show it."},
	{"text", text, "issue.Text", "", "The same in words."},
}

// records are what the core says to the script.
var records = []record{
	{"table", "", []part{{name: "text"}}, nil}, // the first one: what follows is read with it
	{"form", "", []part{{name: "page"}, {name: "name"}, {name: "title"}, {name: "buttons", kind: words}, {name: "protocol", from: "protocol"}, {name: "replaces", kind: fact}}, nil},
	{"declared", "field *form.Field", []part{
		{"path", text, "field.Path", "", ""},
		{"kind", text, "field.Kind.String()", `"text" | "number" | "integer" | "boolean" | "date" | "time" | "date-time" | "choice" | "choices" | "file" | "rows"`, "What its answers are."},
		{"of", text, "field.Of.String()", "", ""},
		{"required", fact, "field.Needed()", "", "Whether it always has to be answered."},
		{"private", fact, "field.Private", "", "Whether it is kept out of drafts and traces."},
		{"label", text, "field.Label", "", "What it is called."},
		{"unit", text, "field.Unit", "", "The unit of a number."},
		{"help", text, "field.Help", "", "A hint below the control."},
		{"placeholder", text, "field.Placeholder", "", "An example in the empty control."},
		{"autocomplete", text, "field.Autocomplete", "", "What the browser may fill in (HTML, section 4.10.18.7)."},
	}, &each{"options", "field.Options", "option", []part{
		{"raw", text, "option.Value.String()", "", "What the control has as its value."},
		{"label", text, "cmp.Or(option.Label, option.Value.String())", "", "What the applicant reads."},
	}}},
	{"words", "f *form.Form", nil, &each{"words", "f.PageWords()", "word", []part{{name: "name", from: "word.Name"}, {name: "one", from: "word.One"}, {name: "other", from: "word.Other"}}}},
	{"field", "field lifecycle.FieldState", []part{
		{"path", text, "field.Path()", "", "vessel/name, crew, crew/0/name"},
		{"key", text, "strconv.Itoa(field.ID())", "", "The same as long as it is the same field, wherever its row moves."},
		{"asked", fact, "field.Asked()", "", "Whether it is asked: what is not asked is not shown, and not sent."},
		{"dirty", fact, "field.Dirty()", "", "Whether it differs from what is saved."},
		{"touched", fact, "field.Touched()", "", "Whether the applicant has left it."},
		{"checking", fact, "field.Checking()", "", "Whether its check is on its way."},
		{"contested", fact, "field.Contested()", "", "Whether the applicant has to choose between raw and saved: session.resolve."},
		{"raw", text, "rawOf(field)", "", `The text of its control: of several choices one a line, of a box "true" or nothing. Of a group the number of its rows.`},
		{"saved", text, "savedOf(field)", "string | undefined", "Of a contested field what was saved meanwhile, as a person reads it."},
		{"answered", fact, "isAnswered(field)", "", ""},
		{"answer", text, "answerOf(field)", "", ""},
	}, &each{"issues", "field.Issues()", "issue", issueParts}},
	{"status", "s *lifecycle.Session", []part{
		{"submission", text, "s.Submission().String()", "Submission", "The state of the submission."},
		{"prefill", text, "s.Prefill().String()", `"none" | "loading" | "ready" | "failed"`, "How far the loading of the saved answers has come."},
		{"leaving", text, "s.Leaving().String()", `"present" | "asking" | "departing" | "gone"`, "Whether the applicant is going away."},
		{"unsaved", fact, "s.Unsaved()", "", "Whether anything differs from what is saved."},
		{"guarded", fact, "s.UnloadGuard()", "", "Whether leaving would be asked about."},
		{"busy", fact, "s.Activity() != lifecycle.ActivityIdle", "", "Whether a submission is under way."},
		{"locked", fact, "locked(s)", "", "Whether no field takes an edit now."},
		{"pending", text, "s.Form().Text(s.Pending())", "", "In words, what is under way: loading, checking or sending; else nothing."},
		{"receipt", text, "receiptOf(s)", "string | undefined", "Where what was received can be seen."},
		{"reason", text, "reasonOf(s)", "", ""},
		{"to", text, "destinationOf(s)", "", ""},
		{"changes", number, "int64(s.Changes())", "", ""},
	}, nil},
	{"button", "s *lifecycle.Session, button string, holds lifecycle.Holds", []part{
		{"name", text, "button", "", "Its declared name."},
		{"holds", words, "holds.Words()", "readonly Hold[]", "Why it would not send now; pressed all the same, it says so."},
		{"why", text, "s.Form().Text(s.HoldMessage(holds))", "", "The same in words."},
	}, nil},
	{"issues", "s *lifecycle.Session", nil, &each{"issues", "s.FormIssues()", "issue", issueParts}},
	{"say", "", []part{
		{"level", text, "", `"polite" | "assertive"`, "How urgently, as in ARIA live regions."},
		{"text", text, "", "", "What is said."},
		{"about", text, "", `"wrong" | "good" | "unsure" | ""`, "What it is about: what is wrong, what was received, what is not known; or none of these."},
		{"until", text, "", `"act" | "prefill" | "submission"`, "Until when it matters: the applicant acts, or the prefill or the submission is in another state."},
	}, nil},
	{"left out", "", []part{{"path", text, "", "", "Where it was typed."}, {"raw", text, "", "", "What was typed."}}, nil},
	{"unreadable", "", []part{{name: "why"}}, nil},
	{"unfit", "", []part{{name: "paths"}}, nil},
	{"announce", "", []part{{name: "text"}}, nil},
	{"focus", "", []part{{name: "path"}}, nil},
	{"ask", "", []part{{"reason", text, "", `"unsaved" | "sending" | "unsettled"`, "What would be lost."}, {"to", text, "", "", "Where the applicant wants to go."}}, nil},
	{"leave", "", []part{{"to", text, "", "", "Where the applicant goes."}, {"kind", text, "", `"inside" | "unload"`, "How the page is left."}}, nil},
	{"navigate", "", []part{{name: "to"}}, nil},
	{"guard", "", []part{{name: "on", kind: fact}}, nil},
	{"keep", "", []part{{name: "mark"}, {name: "text"}}, nil},
	{"fetch", "id string, r *runner.Request", []part{
		{name: "id", from: "id"},
		{"kind", text, "r.Kind.String()", `"load" | "check" | "send"`, "What it is for."},
		{"method", text, "r.Method", "", "Its method."},
		{"url", text, "r.URL", "", "Its address."},
		{name: "body", from: "string(r.Body)"},
		{name: "button", from: "r.Button"},
		{name: "key", from: "r.Key"},
		{name: "version", from: "r.Version"},
		{name: "path", from: "r.Path"},
		{name: "value", from: "r.Value"},
		{name: "prepared", kind: fact, from: "r.Prepared"},
	}, &each{"headers", "headersOf(r)", "header", []part{{name: "name", from: "header[0]"}, {name: "value", from: "header[1]"}}}},
	{"values", "s *lifecycle.Session", []part{{name: "values", kind: data, from: "string(s.Form().AppendBody(nil, s.Form().WithoutBeyond(s.AppendValues(nil))))"}}, nil},
	{"attempt", "s *lifecycle.Session", []part{
		{"button", text, "s.Attempt().Button", "string | undefined", "The button that was pressed."},
		{"key", text, "s.Attempt().Key.String()", "string | undefined", "The key of the submission: a repeat has the same."},
		{"values", data, "attemptOf(s)", "Values | undefined", "What was sent, as its body has it."},
	}, nil},
	{"replied", "r *replies.Received, f *form.Form", []part{
		{"status", number, "int64(r.Status)", "number | undefined", "The status of the reply, where one came in this step (RFC 9110, section 15); 0: the connection broke."},
		{"location", text, `r.HeaderOf("Location")`, "string | undefined", "Its Location, as it came."},
		{"version", text, `r.HeaderOf("ETag")`, "string | undefined", "The version of what was stored, its ETag, as it came."},
		{"body", data, "r.JSON(f)", "unknown", "What it holds, where that is JSON."},
	}, nil},
	{"denied", "", []part{{name: "kind"}}, nil},
	{"abort", "", []part{{name: "id"}}, nil},
	{"timer", "", []part{{name: "id"}, {name: "after", kind: number}}, nil},
	{"stop", "", []part{{name: "id"}}, nil},
	{"trace", "", []part{{name: "text"}}, nil},
	{"turned away", "", []part{{name: "why"}}, nil},
	{"error", "", []part{{name: "why"}}, nil},
}

// event is what the script tells of an applicant. Its word is that of the lifecycle.
type event struct {
	word  string
	texts []string // what the texts are
	from  string   // the Go expression of the event
	acts  bool     // the applicant has seen what was said until then, and gone on
	reads bool     // what stands in the controls counts: it is read before
}

// events are what the script tells the core that an applicant did.
var events = []event{
	{"edit", []string{"path", "raw"}, "lifecycle.Edit(path, raw)", true, false},
	{"blur", []string{"path"}, "lifecycle.Blur(path)", false, false},
	{"submit", []string{"button"}, "lifecycle.Submit(button)", true, true},
	{"cancel", nil, "lifecycle.Cancel()", false, true},
	{"retry", nil, "lifecycle.Retry()", true, true},
	{"reset", nil, "lifecycle.Reset()", true, true},
	{"refresh", nil, "lifecycle.Refresh()", false, true},
	{"add row", []string{"group"}, "lifecycle.AddRow(group)", true, true},
	{"remove row", []string{"row"}, "lifecycle.RemoveRow(row)", true, true},
	{"move row", []string{"row", "to"}, "lifecycle.MoveRow(row, to)", true, true},
	{"resolve", []string{"path", "choice"}, "lifecycle.Resolve(path, choiceOf(choice))", false, true},
	{"leave asked", []string{"to", "kind"}, "lifecycle.LeaveAsked(to, leaveKindOf(kind))", false, true},
	{"leave decided", []string{"decision"}, "lifecycle.LeaveDecided(decisionOf(decision))", false, true},
	{"returned", nil, "lifecycle.Returned()", false, true},
}

// call is what the script tells the core beside events. The last part of some is bytes.
type call struct {
	name  string
	parts []part
	reads bool // what stands in the controls is read before, as for an event
}

// calls are what the script tells the core of a page, its requests and its timers.
var calls = []call{
	{"open", []part{{name: "seed"}, {name: "mark"}, {name: "kept"}, {name: "given"}, {name: "defaults"}}, false},
	{"answered", []part{{name: "id"}, {name: "status", kind: number}, {name: "headers"}, {name: "from"}, {name: "redirected", kind: fact}, {name: "cut", kind: fact}, {name: "signedOut", kind: fact}, {name: "refusal"}}, true},
	{"elapsed", []part{{name: "id"}}, false},
	{"supply", []part{{name: "version"}, {name: "after", kind: number}}, true},
}
