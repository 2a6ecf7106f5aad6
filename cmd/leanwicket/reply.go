package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
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
	var asJSON bool
	c := &cobra.Command{
		Use:   "reply FORM [BODY]",
		Short: "Show what a backend's reply means to a form: where each entry lands, and why",
		Long: `Reads an HTTP reply as the form would: its status, its headers, and a JSON body
from a file (- is standard input). Says what the reply is taken for, where each
entry of a refusal lands and why, and what would be adopted or gone to. Exit
status 1 where an entry that names a field fits none of this form.`,
		Example: `  leanwicket reply mooring.form.yaml --status 422 refusal.json
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
			response := replies.Response{Status: status, Header: map[string]string{}, Now: time.Now()}
			if status < 100 || status > 599 {
				return fmt.Errorf("--status %d: found no HTTP status; right would be a number from 200 to 599", status)
			}
			for _, h := range headers {
				name, value, ok := strings.Cut(h, ":")
				if !ok {
					return fmt.Errorf("--header %q: found no colon; right would be 'Retry-After: 2'", h)
				}
				response.Header[strings.TrimSpace(name)] = strings.TrimSpace(value)
			}
			note := ""
			if len(args) == 2 {
				if response.Body, note, err = readBody(args[1]); err != nil {
					return err
				}
			}
			if asJSON {
				return explainReplyJSON(c.OutOrStdout(), form, response)
			}
			return explainReply(c.OutOrStdout(), form, response, note)
		},
	}
	c.Flags().IntVar(&status, "status", 422, "the HTTP status of the reply")
	c.Flags().StringArrayVar(&headers, "header", nil, "a header of the reply, such as 'ETag: \"7\"'")
	c.Flags().BoolVar(&asJSON, "json", false, "write what the reply means as JSON")
	return c
}

// readBody decodes a JSON body. A body that is no JSON is none, as in earnest,
// with a note.
func readBody(name string) (body any, note string, err error) {
	var data []byte
	if name == "-" {
		data, err = io.ReadAll(os.Stdin)
	} else {
		data, err = document.ReadFile(name, "a JSON file, or - for standard input")
	}
	if err != nil {
		return nil, "", err
	}
	decoder := json.NewDecoder(bytes.NewReader(data))
	decoder.UseNumber()
	if err := decoder.Decode(&body); err != nil {
		return string(data), "the body is no JSON (" + err.Error() + "): it is read as text/plain or text/html", nil
	}
	return body, "", nil
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

func explainReply(out io.Writer, f *form.Form, r replies.Response, note string) error {
	reply := replies.Submit(f, r)
	style := style()
	fmt.Fprintf(out, "%s %d is taken for: %s\n", f.Name, r.Status, style.Paint("1", reply.Kind.String()))
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
			fmt.Fprintf(out, "goes to: %s\n", reply.To)
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
		pause := f.Submit.ResendWait
		if reply.RetryAfter >= 0 {
			pause = reply.RetryAfter
		}
		fmt.Fprintf(out, "the same attempt goes again after %s, at most %d times; a pause over %s ends unsettled\n",
			pause, f.Submit.ResendTimes, f.Submit.ResendLongest)
	}
	if pointer := entriesInBody(f, r); pointer != "" {
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
	if r.Kind() != lifecycle.ReplyAccepted || f.InBody != "" {
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

func explainReplyJSON(out io.Writer, form *form.Form, r replies.Response) error {
	reply := replies.Submit(form, r)
	answer := struct {
		Reply   string            `json:"reply"`
		Said    string            `json:"said,omitempty"`
		Version string            `json:"version,omitempty"`
		To      string            `json:"to,omitempty"`
		Wait    float64           `json:"retryAfterSeconds,omitempty"`
		Entries []landing         `json:"entries,omitempty"`
		Values  map[string]string `json:"values,omitempty"`
	}{Reply: reply.Kind.String(), Said: reply.Text, Version: reply.Version, To: reply.To, Wait: max(0, reply.RetryAfter.Seconds())}
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
