package office

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/internal/diagram"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/trace"
)

//go:embed live.html
var liveText string

//go:embed live.js
var liveScript []byte

// livePage is a form's page with a panel that shows its lifecycle.
var livePage = template.Must(template.New("live").Parse(liveText))

// maxTrace is the largest trace that is replayed, in bytes.
const maxTrace = 4 << 20

// livePolicy lets a form's page show the picture that its script makes.
var livePolicy = "default-src 'none'; style-src " + formhttp.StyleHash() + "; img-src blob:; script-src 'self' 'wasm-unsafe-eval'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// session is what the panel shows of a trace. It has the state at the end in words, and
// the picture of how the session came there.
type session struct {
	Form       string `json:"form"`
	Step       string `json:"step"`
	Prefill    string `json:"prefill"`
	Submission string `json:"submission"`
	Leave      string `json:"leave"`
	Holds      string `json:"holds"`
	Asks       string `json:"asks"`
	Picture    string `json:"picture"` // SVG
}

// replay replays a trace of one of the office's forms.
func (o *Office) replay(w http.ResponseWriter, r *http.Request) {
	shown, err := o.session(http.MaxBytesReader(w, r.Body, maxTrace))
	if err != nil {
		writeJSON(w, problem(http.StatusUnprocessableEntity, err.Error()))
		return
	}
	writeJSON(w, formhttp.Answer{Status: http.StatusOK, Body: shown})
}

func (o *Office) session(in io.Reader) (*session, error) {
	record, err := trace.Read(in)
	if err != nil {
		return nil, err
	}
	var form *form.Form
	for _, source := range o.forms {
		if record.Fits(source.Form) == nil {
			form = source.Form
		}
	}
	if form == nil {
		return nil, fmt.Errorf("found a trace of the form %s, which is none of the office's; right would be one of a form that is listed on its first page", record.Form)
	}
	var s *lifecycle.Session
	var last time.Duration
	difference, err := trace.Replay(form, record, trace.Observer{
		Opened: func(opened *lifecycle.Session, _ []lifecycle.Effect) { s = opened },
		After:  func(at time.Duration, _ lifecycle.Step) { last = at },
	})
	if err != nil {
		return nil, err
	}
	if difference != nil {
		return nil, fmt.Errorf("line %d: %s differs: recorded %q, replayed %q", difference.Line, difference.What, difference.Recorded, difference.Replayed)
	}
	drawing, err := diagram.Timeline(form, record, form.Title)
	if err != nil {
		return nil, err
	}
	var picture strings.Builder
	if err := drawing.WriteSVG(&picture); err != nil {
		return nil, err
	}
	return &session{
		Form: form.Title, Step: fmt.Sprintf("%d steps, %.1f s", record.Steps(), last.Seconds()),
		Prefill: s.Prefill().String(), Submission: s.Submission().String(), Leave: s.Leaving().String(),
		Holds: holds(s), Asks: asks(s), Picture: picture.String(),
	}, nil
}

// holds says what a click on the form's first button would do.
func holds(s *lifecycle.Session) string {
	held := s.Holds(s.Form().Buttons[0])
	if words := held.Words(); len(words) > 0 {
		return "sends nothing: " + strings.Join(words, ", ")
	}
	return "sends"
}

// asks says what would be asked of somebody who leaves.
func asks(s *lifecycle.Session) string {
	var copied lifecycle.Session
	copied.CopyFrom(s)
	effects, err := copied.Apply(lifecycle.LeaveAsked("/", lifecycle.LeaveInside))
	if err != nil {
		return "is asked already, or is gone"
	}
	for _, e := range effects {
		if e.Kind == lifecycle.EffectAsk {
			return "is asked: " + e.Reason.String()
		}
	}
	return "is asked nothing"
}
