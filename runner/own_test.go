package runner_test

import (
	"errors"
	"fmt"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/runner"
	"leanwicket.dev/trace"
)

// office answers requests in turn with statuses, and notes what was asked.
type office struct {
	mu       sync.Mutex
	statuses []int
	asked    []string
}

func (o *office) Do(q runner.Request, done func(replies.Received)) (stop func()) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.asked = append(o.asked, fmt.Sprintf("%s %s %s %s", q.Kind, q.Version, q.Key, q.Body))
	status := o.statuses[0]
	o.statuses = o.statuses[1:]
	got := replies.Received{Status: status, Header: map[string]string{"Content-Type": "application/json", "ETag": `"2"`}, Body: []byte(`{"keeper":"Ada","id":7}`)}
	go done(got)
	return func() {}
}

func (o *office) log() []string {
	o.mu.Lock()
	defer o.mu.Unlock()
	return append([]string(nil), o.asked...)
}

// A program opens with its own record, reads what came for a submission, and has the applicant sign in
// again: once for what was denied, which is asked once more.
func TestTheProgramsOwn(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nprefill: {url: /plot}\nsubmit: {url: /plot, method: PUT, resend: {times: 0}}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	o := &office{statuses: []int{401, 401, 401, 200, 401, 401, 200}}
	var mu sync.Mutex
	signIns, outcomes := []bool{true, false, true, true}, []string{}
	asked := 0
	r := runner.New(source.Form, runner.Options{
		Transport: o, Record: &runner.Record{Values: []byte(`{"keeper":"Ada"}`), Version: `"1"`},
		Outcome: func(came runner.Outcome) {
			mu.Lock()
			defer mu.Unlock()
			outcomes = append(outcomes, fmt.Sprintf("%s %d %s %s", came.Submission, came.Came.Status, came.Request.Button, came.Came.JSON(source.Form)))
		},
		SignIn: func(denied lifecycle.EffectKind) bool {
			mu.Lock()
			defer mu.Unlock()
			asked++
			return signIns[asked-1]
		},
	})
	defer r.Close()
	when := func(done func(*lifecycle.Session) bool) {
		t.Helper()
		require.Eventually(t, func() (is bool) { r.Read(func(s *lifecycle.Session) { is = done(s) }); return is }, 10*time.Second, time.Millisecond)
	}
	told := func(n, ins int) {
		t.Helper()
		require.Eventually(t, func() bool { mu.Lock(); defer mu.Unlock(); return len(outcomes) == n && asked == ins }, 10*time.Second, time.Millisecond)
	}
	when(func(s *lifecycle.Session) bool { return s.Prefill() == lifecycle.PrefillReady && s.Version() == `"1"` })
	require.Empty(t, o.log(), "nothing was asked for the record")
	require.NoError(t, r.Apply(lifecycle.Edit("keeper", "Bo")))
	require.NoError(t, r.Apply(lifecycle.Submit("")))
	told(2, 1) // denied, signed in, denied again: nobody is asked a second time for it
	require.NoError(t, r.Apply(lifecycle.Submit("")))
	told(3, 2) // nobody has signed in
	when(func(s *lifecycle.Session) bool { return s.Submission() == lifecycle.SubmissionDenied })
	require.NoError(t, r.Apply(lifecycle.Submit("")))
	when(func(s *lifecycle.Session) bool { return s.Submission() == lifecycle.SubmissionAccepted })
	told(4, 2)
	require.Equal(t, `accepted 200 submit {"keeper":"Ada","id":7}`, outcomes[3])
	require.NoError(t, r.Apply(lifecycle.Refresh())) // denied twice: one question
	require.Eventually(t, func() bool { return len(o.log()) == 6 }, 10*time.Second, time.Millisecond)
	when(func(s *lifecycle.Session) bool { return s.Prefill() != lifecycle.PrefillLoading })
	require.NoError(t, r.Apply(lifecycle.Refresh()))
	when(func(s *lifecycle.Session) bool { return s.Prefill() == lifecycle.PrefillReady })
	told(4, 3)
	for _, line := range o.log()[:4] {
		require.Contains(t, line, `send "1" `)
		require.Contains(t, line, `{"keeper":"Bo"}`)
	}
}

// Saved answers that the program supplies mean the same as in a page: browser.TestWhatIsSupplied has the same steps.
func TestWhatIsSupplied(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}, beds: {type: integer}}}\nprefill: {own: true}\nsubmit: {url: /plot, method: PUT, resend: {times: 0}}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	o := &slow{}
	loads := 0
	r := runner.New(source.Form, runner.Options{Transport: o})
	defer r.Close()
	shows := func() string {
		var text string
		r.Read(func(s *lifecycle.Session) {
			keeper, _ := s.Field("keeper")
			beds, _ := s.Field("beds")
			text = fmt.Sprint(s.Prefill(), " ", keeper.Raw(), " ", beds.Raw(), " ", s.Unsaved())
		})
		return text
	}
	record := func(keeper string, beds int, version string) runner.Record {
		return runner.Record{Values: fmt.Appendf(nil, `{"keeper": %q, "beds": %d}`, keeper, beds), Version: version}
	}
	require.Equal(t, "loading   false", shows())
	require.NoError(t, r.Reading()(record("Ada", 3, `"1"`)))
	require.Equal(t, "ready Ada 3 false", shows())
	require.NoError(t, r.Apply(lifecycle.Edit("keeper", "Bo")))
	require.NoError(t, r.Reading()(record("Cy", 4, `"2"`)))
	require.Equal(t, "ready Bo 4 true", shows())
	require.ErrorContains(t, r.Reading()(runner.Record{Values: []byte(`"no record"`)}), "the body is no JSON object")
	require.ErrorContains(t, r.Reading()(runner.Record{Values: []byte(`{"other": 1}`)}), "the body has no field of the form")
	require.NoError(t, r.Apply(lifecycle.Submit("")))
	early := r.Reading()
	require.NoError(t, r.Reading()(record("Cy", 5, `"3"`)))
	require.Equal(t, "ready Bo 4 true", shows())
	o.done(replies.Received{Status: 200, Header: map[string]string{"ETag": `"4"`}})
	require.Equal(t, "loading Bo 4 false", shows(), "what waited may be older, and is asked for again")
	require.ErrorIs(t, early(record("Cy", 5, `"3"`)), lifecycle.ErrStale)
	require.NoError(t, r.Reading()(record("Bo", 6, `"5"`)))
	require.Equal(t, "ready Bo 6 false", shows())

	own := runner.New(source.Form, runner.Options{Load: func() (runner.Record, error) {
		if loads++; loads == 1 {
			return runner.Record{}, errors.New("the cache is empty")
		}
		return record("Ada", loads, ""), nil
	}})
	defer own.Close()
	is := func(prefill lifecycle.Prefill) func() bool {
		return func() (is bool) {
			own.Read(func(s *lifecycle.Session) { is = s.Prefill() == prefill })
			return is
		}
	}
	require.Eventually(t, is(lifecycle.PrefillFailed), 10*time.Second, time.Millisecond)
	require.NoError(t, own.Apply(lifecycle.Refresh()))
	require.Eventually(t, is(lifecycle.PrefillReady), 10*time.Second, time.Millisecond)
}

// slow keeps a submission until it is answered by done.
type slow struct{ done func(replies.Received) }

func (s *slow) Do(q runner.Request, done func(replies.Received)) (stop func()) {
	if q.Kind == lifecycle.EffectSend {
		s.done = done
	}
	return func() {}
}

// The program has the last word on the body, once for a submission: a repeat carries the same bytes, and so does one of the
// next page. What it refuses is not sent, and the applicant reads why.
func TestTheLastWordOnTheBody(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nsubmit: {url: /plot, resend: {times: 0}}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	stamps, refuses := 0, error(nil)
	var kept string
	options := runner.Options{
		Prepare: func(body []byte) ([]byte, error) {
			stamps++
			return fmt.Appendf(nil, `{"sent": %s, "stamp": %d}`, body, stamps), refuses
		},
		Keep: func(draft *lifecycle.Draft, _ bool) {
			if draft != nil {
				kept = string(trace.AppendDraft(nil, source.Form, draft))
			}
		},
	}
	o := &office{statuses: []int{500, 500, 200}}
	options.Transport = o
	first := runner.New(source.Form, options)
	is := func(r *runner.Runner, want lifecycle.Submission) {
		t.Helper()
		require.Eventually(t, func() (is bool) {
			r.Read(func(s *lifecycle.Session) { is = s.Submission() == want })
			return is
		}, 10*time.Second, time.Millisecond)
	}
	refuses = errors.New("The moon is wrong.")
	require.NoError(t, first.Apply(lifecycle.Edit("keeper", "Bo")))
	require.NoError(t, first.Apply(lifecycle.Submit("")))
	is(first, lifecycle.SubmissionRefused)
	first.Read(func(s *lifecycle.Session) { require.Equal(t, "The moon is wrong.", s.FormIssues()[0].Text) })
	refuses = nil
	require.NoError(t, first.Apply(lifecycle.Submit("")))
	is(first, lifecycle.SubmissionUnsettled)
	require.NoError(t, first.Apply(lifecycle.Retry()))
	require.Eventually(t, func() bool { return len(o.log()) == 2 }, 10*time.Second, time.Millisecond)
	is(first, lifecycle.SubmissionUnsettled)
	first.Close()
	earlier, lost, err := trace.ReadDraft(source.Form, kept)
	require.NoError(t, err)
	require.False(t, lost)
	options.Draft = earlier
	next := runner.New(source.Form, options)
	defer next.Close()
	require.NoError(t, next.Apply(lifecycle.Retry()))
	is(next, lifecycle.SubmissionAccepted)
	require.Len(t, o.log(), 3)
	for _, line := range o.log() {
		require.Equal(t, o.log()[0], line)
		require.Contains(t, line, `{"sent": {"keeper":"Bo"}, "stamp": 2}`)
	}
}

// The denial of a later try settles nothing. After signing in the same attempt goes once more, under its key.
func TestSigningInAfterALaterTry(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nsubmit: {url: /plot, resend: {times: 0}}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	o := &office{statuses: []int{500, 401, 200}}
	r := runner.New(source.Form, runner.Options{Transport: o, SignIn: func(lifecycle.EffectKind) bool { return true }})
	defer r.Close()
	is := func(want lifecycle.Submission) func() bool {
		return func() (is bool) {
			r.Read(func(s *lifecycle.Session) { is = s.Submission() == want })
			return is
		}
	}
	require.NoError(t, r.Apply(lifecycle.Edit("keeper", "Bo")))
	require.NoError(t, r.Apply(lifecycle.Submit("")))
	require.Eventually(t, is(lifecycle.SubmissionUnsettled), 10*time.Second, time.Millisecond)
	require.NoError(t, r.Apply(lifecycle.Retry()))
	require.Eventually(t, is(lifecycle.SubmissionAccepted), 10*time.Second, time.Millisecond)
	require.Len(t, o.log(), 3)
	require.Equal(t, o.log()[0], o.log()[2])
}
