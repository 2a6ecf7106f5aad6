package main

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// loadOutcome is what a reply to a load means to a form.
type loadOutcome struct {
	Reply     string                     `json:"reply"` // loaded, failed or denied
	Why       string                     `json:"why,omitempty"`
	Line      string                     `json:"decidedBy"`
	Version   string                     `json:"version,omitempty"`
	Values    map[string]string          `json:"values,omitempty"`
	Beyond    map[string]json.RawMessage `json:"beyond,omitempty"`   // by the path of a row, and empty for the record
	BeyondIs  string                     `json:"beyondIs,omitempty"` // what becomes of it
	Unfit     []string                   `json:"unfit,omitempty"`
	mentioned []form.Answer
}

func loadOutcomeOf(f *form.Form, received replies.Received) loadOutcome {
	response, line := received.Judge(f, lifecycle.EffectLoad)
	e := replies.Event(f, lifecycle.Effect{Kind: lifecycle.EffectLoad}, received)
	o := loadOutcome{Reply: "loaded", Line: line.String(), Version: e.Version, Why: e.Why, mentioned: e.Values}
	switch {
	case e.Denied:
		o.Reply, o.Why = "denied", ""
		return o
	case e.Kind != lifecycle.EventLoaded:
		o.Reply = "failed"
		return o
	}
	if e.Came.Unfit != "" {
		o.Unfit = replies.Unfit(f, response.Body)
	}
	o.Values, o.Beyond = map[string]string{}, map[string]json.RawMessage{}
	for _, a := range e.Values {
		if f.Fields[a.Field].Kind != form.KindBeyond {
			o.Values[f.Path(a.Place)] = a.Value.String()
		}
	}
	sendsBack := f.Declaration
	sendsBack.Submit.Undeclared, sendsBack.Submit.Method = true, "PUT"
	whole, err := form.New(sendsBack) // whatever becomes of it, it is told
	if err != nil {
		return o
	}
	body, _ := response.Body.(map[string]any)
	for _, a := range whole.AppendBeyond(nil, body) {
		if !a.Value.Absent() {
			o.Beyond[strings.TrimSuffix(strings.TrimSuffix(whole.Path(a.Place), "*"), "/")] = json.RawMessage(a.Value.Text)
		}
	}
	if len(o.Beyond) > 0 {
		o.BeyondIs = whatBecomes(f)
	}
	return o
}

// explainLoad tells what a reply to a load means. The error is errNo where the record does not fit the form.
func explainLoad(out io.Writer, f *form.Form, received replies.Received, note string, asJSON bool) error {
	o := loadOutcomeOf(f, received)
	if asJSON {
		writeJSON(out, o)
	} else {
		o.tell(out, f, received.Status, note)
	}
	if len(o.Unfit) > 0 {
		return errNo
	}
	return nil
}

func (o loadOutcome) tell(out io.Writer, f *form.Form, status int, note string) {
	meaning := map[string]string{"loaded": "the saved answers", "failed": "no saved answers: the load has failed", "denied": "denied: the applicant is signed out"}[o.Reply]
	fmt.Fprintf(out, "%s %d is taken for: %s\ndecided by: %s\n", f.Name, status, style().Paint("1", meaning), o.Line)
	if note != "" {
		fmt.Fprintln(out, note)
	}
	if o.Why != "" {
		fmt.Fprintf(out, "why: %s\n", o.Why)
	}
	if o.Version != "" {
		fmt.Fprintf(out, "version: %s, sent back as If-Match\n", o.Version)
	}
	for _, a := range o.mentioned {
		if f.Fields[a.Field].Kind != form.KindBeyond {
			fmt.Fprintf(out, "mentions %s = %s\n", f.Path(a.Place), a.Value)
		}
	}
	for _, path := range slices.Sorted(maps.Keys(o.Beyond)) {
		at := ""
		if path != "" {
			at = " at " + path
		}
		fmt.Fprintf(out, "has beyond the form%s: %s\n", at, o.Beyond[path])
	}
	if o.BeyondIs != "" {
		fmt.Fprintf(out, "what is beyond the form: %s\n", o.BeyondIs)
	}
	for _, path := range o.Unfit {
		fmt.Fprintf(out, "does not fit the form at %s, which shows nothing of it\n", path)
	}
}
