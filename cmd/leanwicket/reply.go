package main

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

func replyCommand() *cobra.Command {
	var status int
	var headers []string
	var from string
	var asJSON, load bool
	c := &cobra.Command{
		Use:   "reply FORM [BODY]",
		Short: "Show what a backend's reply means to a form: where each entry lands, and why",
		Long: `Reads an HTTP reply as the form would: its status, its headers, the address that
answered, and a body from a file (- is standard input). Says what the reply is taken
for and which line of the table in docs/replies.md decided that, where each entry of a
refusal lands and why, and what would be adopted or gone to. Exit status 1 where an
entry that names a field fits none of this form. With --load it is the reply to a load:
what it mentions, what it has beyond the form, and where it does not fit (exit status 1).`,
		Example: `  leanwicket reply mooring.form.yaml --status 422 refusal.json
  leanwicket reply mooring.form.yaml --status 200 --from /sign-in page.html
  curl -s … | leanwicket reply vessel.form.yaml --load -
  curl -s … | leanwicket reply mooring.form.yaml --status 409 --header 'Retry-After: 2' -`,
		Args: cobra.RangeArgs(1, 2),
		RunE: func(c *cobra.Command, args []string) error {
			if strings.HasSuffix(args[0], traceEnding) {
				return fmt.Errorf("%s: found a trace; right would be a form file, or leanwicket replay for a trace", args[0])
			}
			form, err := declare.File(args[0])
			if err != nil {
				return err
			}
			if load && !c.Flags().Changed("status") {
				status = 200
			}
			received := replies.Received{Status: status, Header: map[string]string{}, From: from, Redirected: from != "", Now: time.Now()}
			if status < 100 || status > 599 {
				return fmt.Errorf("--status %d: found no HTTP status; right would be a number from 200 to 599", status)
			}
			if from != "" && !strings.HasPrefix(from, "/") && !strings.Contains(from, "://") {
				return fmt.Errorf("--from %q: found no address; right would be a path of the form's own site, such as /sign-in, or the whole address of another site", from)
			}
			for _, h := range headers {
				name, value, ok := strings.Cut(h, ":")
				if !ok {
					return fmt.Errorf("--header %q: found no colon; right would be 'Retry-After: 2'", h)
				}
				received.Header[http.CanonicalHeaderKey(strings.TrimSpace(name))] = strings.TrimSpace(value)
			}
			note := ""
			if len(args) == 2 {
				if note, err = readBody(args[1], &received); err != nil {
					return err
				}
			}
			if load {
				return explainLoad(c.OutOrStdout(), form, received, note, asJSON)
			}
			response, line := received.Judge(form, lifecycle.EffectSend)
			if asJSON {
				return explainReplyJSON(c.OutOrStdout(), form, response, line)
			}
			return explainReply(c.OutOrStdout(), form, response, line, note)
		},
	}
	c.Flags().IntVar(&status, "status", 422, "the HTTP status of the reply; with --load 200")
	c.Flags().StringArrayVar(&headers, "header", nil, "a header of the reply, such as 'ETag: \"7\"'")
	c.Flags().StringVar(&from, "from", "", "the `URL` that answered, after a redirect: a path is one of the form's own site")
	c.Flags().BoolVar(&load, "load", false, "read the reply as that of a load of the saved answers")
	c.Flags().BoolVar(&asJSON, "json", false, "write what the reply means as JSON")
	return c
}

// readBody reads a body. Where no header says its type, the type is that of what it holds, and
// a note says so where that is no JSON.
func readBody(name string, into *replies.Received) (note string, err error) {
	if name == "-" {
		into.Body, err = io.ReadAll(os.Stdin)
	} else {
		into.Body, err = document.ReadFile(name, "a JSON file, or - for standard input")
	}
	if err != nil || into.Header["Content-Type"] != "" {
		return "", err
	}
	switch {
	case json.Valid(into.Body):
		into.Header["Content-Type"] = "application/json"
		return "", nil
	case bytes.HasPrefix(bytes.TrimSpace(into.Body), []byte("<")):
		into.Header["Content-Type"] = "text/html"
	default:
		into.Header["Content-Type"] = "text/plain"
	}
	return "the body is no JSON: it is read as " + into.Header["Content-Type"] + ", unless --header says another Content-Type", nil
}

// landing is one entry of a refusal, as it is told.
type landing struct {
	Name string `json:"name,omitempty"`
	Path string `json:"path"`
	Why  string `json:"why"`
	Code string `json:"code,omitempty"`
	Text string `json:"text"`
}

func landings(form *form.Form, r replies.Response) (list []landing, lost int) {
	for _, p := range replies.Place(form, r) {
		list = append(list, landing{p.Name, p.Path, p.Why, p.Code, p.Text})
		if p.Name != "" && p.Path == "" {
			lost++
		}
	}
	return list, lost
}

func explainReply(out io.Writer, f *form.Form, r replies.Response, line replies.Line, note string) error {
	reply := replies.Submit(f, r)
	style := style()
	fmt.Fprintf(out, "%s %d is taken for: %s\n", f.Name, r.Status, style.Paint("1", reply.Kind.String()))
	fmt.Fprintf(out, "decided by: %s\n", line)
	if note != "" {
		fmt.Fprintln(out, note)
	}
	if reply.Text != "" {
		fmt.Fprintf(out, "said: %s\n", reply.Text)
	}
	var list []landing
	lost := 0
	switch reply.Kind {
	case lifecycle.ReplyAccepted:
		if reply.Version != "" {
			fmt.Fprintf(out, "version: %s, sent back as If-Match\n", reply.Version)
		}
		if f.Accepted.Then == form.ThenNavigate {
			fmt.Fprintf(out, "goes to: %s\n", cmp.Or(reply.To, "nowhere, for no address is told: the applicant stays"))
		}
		for _, a := range reply.Values {
			fmt.Fprintf(out, "mentions %s = %s\n", f.Path(a.Place), a.Value)
		}
	case lifecycle.ReplyRefused, lifecycle.ReplyOutdated:
		list, lost = landings(f, r)
		table := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
		fmt.Fprintln(table, "\nthe server's name\tlands at\tbecause of\ttext")
		for _, l := range list {
			at, name := l.Path, l.Name
			if at == "" {
				at = "the form"
			}
			if name == "" {
				name = "(none)"
			}
			fmt.Fprintf(table, "%s\t%s\t%s\t%s\n", name, at, l.Why, l.Text)
		}
		table.Flush()
	case lifecycle.ReplyUnderway, lifecycle.ReplyUnavailable:
		pause := max(f.Submit.ResendWait, reply.RetryAfter)
		fmt.Fprintf(out, "the same attempt goes again after %s, at most %d times; a pause over %s ends unsettled\n",
			pause, f.Submit.ResendTimes, f.Submit.ResendLongest)
	}
	pointer := entriesInBody(f, r)
	if line == replies.LineSaysNo {
		pointer = cmp.Or(pointer, "/"+r.SaysNo(f))
		fmt.Fprintf(out, "\nthe body says no at %s. Where such a body is a refusal, and where it is an acceptance, say so in the form file:\n  refused: {inBody: %s}\n  refused: {inBody: none}\n", "/"+r.SaysNo(f), pointer)
	} else if pointer != "" {
		fmt.Fprintf(out, "\nthe status accepts, and the body seems to refuse at %s. Where it does, say so in the form file:\n  refused: {inBody: %s}\n", pointer, pointer)
	}
	if lost > 0 {
		fmt.Fprintf(out, "\nentries that name no field of this form and land on the form: %d. Say in the form file which fields they mean:\n  refused:\n    serverNames:\n", lost)
		for _, name := range lostNames(list) {
			fmt.Fprintf(out, "      %q: PATH\n", name)
		}
		return errNo
	}
	return nil
}

// lostNames are the names that fit no field, each once.
func lostNames(list []landing) (names []string) {
	for _, l := range list {
		if l.Name != "" && l.Path == "" && !slices.Contains(names, l.Name) {
			names = append(names, l.Name)
		}
	}
	return names
}

// entriesInBody is where an accepted reply has entries of a refusal, or nothing.
func entriesInBody(f *form.Form, r replies.Response) string {
	if r.Status < 200 || r.Status > 299 || len(f.InBody) > 0 || f.InBodyNone {
		return ""
	}
	var look func(v any, pointer string, depth int) string
	look = func(v any, pointer string, depth int) string {
		object, _ := v.(map[string]any)
		for _, key := range slices.Sorted(maps.Keys(object)) {
			below := pointer + "/" + form.EscapeToken(key)
			list, isList := object[key].([]any)
			fields, isMap := object[key].(map[string]any)
			if strings.Contains(strings.ToLower(key), "error") && (isList && len(list) > 0 || isMap && len(fields) > 0) || refusesFields(f, list) {
				return below
			}
			if found := look(object[key], below, depth+1); isMap && depth < 8 && found != "" {
				return found
			}
		}
		return ""
	}
	return look(r.Body, "", 0)
}

// refusesFields reports whether a list reads as entries of which one is a field's.
func refusesFields(f *form.Form, list []any) bool {
	return len(list) > 0 && slices.ContainsFunc(replies.Place(f, replies.Response{Status: 422, Body: list}), func(p replies.Placed) bool { return p.Path != "" })
}

func explainReplyJSON(out io.Writer, form *form.Form, r replies.Response, line replies.Line) error {
	reply := replies.Submit(form, r)
	answer := struct {
		Reply   string            `json:"reply"`
		Line    string            `json:"decidedBy"`
		Said    string            `json:"said,omitempty"`
		Version string            `json:"version,omitempty"`
		To      string            `json:"to,omitempty"`
		Wait    float64           `json:"retryAfterSeconds,omitempty"`
		Entries []landing         `json:"entries,omitempty"`
		Values  map[string]string `json:"values,omitempty"`
	}{Reply: reply.Kind.String(), Line: line.String(), Said: reply.Text, Version: reply.Version, To: reply.To, Wait: max(0, reply.RetryAfter.Seconds())}
	lost := 0
	if reply.Kind == lifecycle.ReplyRefused || reply.Kind == lifecycle.ReplyOutdated {
		answer.Entries, lost = landings(form, r)
	}
	for _, a := range reply.Values {
		if answer.Values == nil {
			answer.Values = map[string]string{}
		}
		answer.Values[form.Path(a.Place)] = a.Value.String()
	}
	writeJSON(out, answer)
	if lost > 0 {
		return errNo
	}
	return nil
}
