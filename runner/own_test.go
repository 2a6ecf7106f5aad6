package runner_test

import (
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
