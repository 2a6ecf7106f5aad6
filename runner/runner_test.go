package runner_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/runner"
	"leanwicket.dev/sample"
	"leanwicket.dev/trace"
)

// backend answers each request after a while.
type backend struct {
	answer func(runner.Request) (after time.Duration, r replies.Received)

	mu   sync.Mutex
	sent []runner.Request
}

func (b *backend) Do(r runner.Request, done func(replies.Received)) func() {
	b.mu.Lock()
	b.sent = append(b.sent, r)
	b.mu.Unlock()
	after, response := b.answer(r)
	timer := time.AfterFunc(after, func() { done(response) })
	return func() { timer.Stop() }
}

func openForm(t testing.TB, name string) *form.Form {
	source, err := declare.OpenFS(harbour.Files(), name)
	require.NoError(t, err)
	return source.Form
}

func submission(r *runner.Runner) (s string) {
	r.Read(func(session *lifecycle.Session) { s = session.Submission().String() })
	return s
}

// One save: loaded, edited, lost on the way back, retried by a repeat with the
// same key, and kept for the next page as long as its outcome is open.
func TestOneSave(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		lose := true
		b := &backend{answer: func(r runner.Request) (time.Duration, replies.Received) {
			switch {
			case r.Kind == lifecycle.EffectLoad:
				return 100 * time.Millisecond, replies.Received{Status: 200, Header: map[string]string{"ETag": `"4"`}, Body: []byte(`{"name": "Egret", "owner": "Ada Fenwick", "draught": 1.35}`)}
			case lose:
				lose = false
				return time.Hour, replies.Received{}
			default:
				return 300 * time.Millisecond, replies.Received{Status: 200, Header: map[string]string{"ETag": `"5"`}}
			}
		}}
		var kept *lifecycle.Draft
		var record bytes.Buffer
		vessel := openForm(t, "vessel.form.yaml")
		r := runner.New(vessel, runner.Options{
			Transport: b, Seed: lifecycle.Seed{1}, Keep: func(k *lifecycle.Draft, _ bool) { kept = k },
			Watch: []runner.Watch{runner.Trace(&record), runner.Guarantees(func(b guarantee.Breach) { t.Error(b) })},
		})
		time.Sleep(200 * time.Millisecond)
		require.NoError(t, r.Apply(lifecycle.Edit("name", "Heron")))
		require.Equal(t, []lifecycle.DraftAnswer{{Path: "name", Raw: "Heron", Baseline: form.Text("Egret")}}, kept.Values)
		require.NoError(t, r.Apply(lifecycle.Submit("save")))
		require.Equal(t, "sending", submission(r))
		require.NoError(t, r.Apply(lifecycle.Submit("save")), "the second click")
		time.Sleep(11 * time.Second)
		require.Equal(t, "unsettled", submission(r))
		require.Equal(t, b.sent[1].Key, kept.Attempt.Key.String())
		require.NoError(t, r.Apply(lifecycle.Retry()))
		time.Sleep(time.Second)
		require.Equal(t, "accepted", submission(r))
		require.Nil(t, kept)
		r.Close()
		require.ErrorIs(t, r.Apply(lifecycle.Edit("name", "Tern")), runner.ErrClosed)

		require.Len(t, b.sent, 3)
		require.Equal(t, runner.Request{
			Kind: lifecycle.EffectSend, Method: "PUT", URL: "/registry/vessel", Key: b.sent[1].Key, Version: `"4"`, Button: "save", Type: "application/json",
			Body: []byte(`{"name":"Heron","owner":"Ada Fenwick","draught":1.35}`),
		}, b.sent[2])
		read, err := trace.Read(&record)
		require.NoError(t, err)
		difference, err := trace.Replay(vessel, read, trace.Observer{})
		require.NoError(t, err)
		require.Nil(t, difference)
	})
}

// What a page kept brings the next one to the same values, and settles the same
// attempt.
func TestTheNextPage(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		b := &backend{answer: func(r runner.Request) (time.Duration, replies.Received) {
			if r.Kind == lifecycle.EffectCheck {
				return time.Millisecond, replies.Received{Status: 204}
			}
			return time.Hour, replies.Received{}
		}}
		var kept *lifecycle.Draft
		pilot := openForm(t, "pilot.form.yaml")
		first := runner.New(pilot, runner.Options{Transport: b, Seed: lifecycle.Seed{1}, Keep: func(k *lifecycle.Draft, _ bool) { kept = k }})
		for _, e := range []lifecycle.Event{
			lifecycle.Edit("slot", "09:30"), lifecycle.AddRow("crew"), lifecycle.AddRow("crew"), lifecycle.Edit("crew/0/name", "Ada"), lifecycle.Edit("crew/1/name", "Ben"),
			lifecycle.Submit("book"),
		} {
			require.NoError(t, first.Apply(e))
		}
		time.Sleep(time.Second)
		require.Equal(t, "sending", submission(first))
		require.NoError(t, first.Apply(lifecycle.Edit("notes", "Two dogs")))
		first.Close()

		b.answer = func(runner.Request) (time.Duration, replies.Received) {
			return time.Second, replies.Received{Status: 201}
		}
		second := runner.New(pilot, runner.Options{Transport: b, Seed: lifecycle.Seed{2}, Draft: kept, Keep: func(k *lifecycle.Draft, _ bool) { kept = k }})
		require.Equal(t, "unsettled", submission(second))
		second.Read(func(s *lifecycle.Session) {
			for path, want := range map[string]string{"slot": "09:30", "crew/0/name": "Ada", "crew/1/name": "Ben", "notes": "Two dogs"} {
				f, _ := s.Field(path)
				require.Equal(t, want, f.Raw(), path)
			}
		})
		require.NoError(t, second.Apply(lifecycle.Retry()))
		time.Sleep(2 * time.Second)
		require.Equal(t, "accepted", submission(second))
		second.Close()
		keys := map[string]bool{}
		for _, r := range b.sent {
			if r.Kind == lifecycle.EffectSend {
				keys[r.Key] = true
			}
		}
		require.Len(t, keys, 1)
		require.Equal(t, []lifecycle.DraftAnswer{{Path: "notes", Raw: "Two dogs"}}, kept.Values)
		require.Nil(t, kept.Attempt)
	})
}

// Many goroutines type, click and leave at once, against a backend that answers
// anything after any time; no guarantee breaks, the record replays, and a closed
// runner leaves no goroutine and no timer: the bubble would not end.
func TestManyAtOnce(t *testing.T) {
	for seed := range uint64(30) {
		name := harbour.Forms()[seed%uint64(len(harbour.Forms()))]
		synctest.Test(t, func(t *testing.T) {
			f := openForm(t, name)
			random := rand.New(rand.NewPCG(seed, 7))
			var mu sync.Mutex
			number := func(n int) int { mu.Lock(); defer mu.Unlock(); return random.IntN(n) }
			b := &backend{answer: func(runner.Request) (time.Duration, replies.Received) {
				r := replies.Received{Status: []int{200, 201, 204, 401, 409, 412, 422, 500, 503, 0, 0}[number(11)]}
				return time.Duration(number(9000)) * time.Millisecond, r
			}}
			var record bytes.Buffer
			r := runner.New(f, runner.Options{
				Transport: b, Seed: lifecycle.Seed{byte(seed)}, Watch: []runner.Watch{runner.Trace(&record), runner.Guarantees(func(b guarantee.Breach) { t.Error(b) })},
				Observe: func(s lifecycle.Step) { submissionOf(s) }, Keep: func(*lifecycle.Draft, bool) {},
			})
			edits, _ := sample.Fill(f)
			var all sync.WaitGroup
			for range 6 {
				all.Go(func() {
					for range 40 {
						events := []lifecycle.Event{
							lifecycle.Submit(f.Buttons[0]), lifecycle.Submit(f.Buttons[len(f.Buttons)-1]), lifecycle.Retry(), lifecycle.Cancel(), lifecycle.Refresh(),
							lifecycle.LeaveAsked("/tides", lifecycle.LeaveInside), lifecycle.LeaveDecided(lifecycle.DecisionStay), lifecycle.Reset(),
						}
						events = append(events, edits...)
						_ = r.Apply(events[number(len(events))])
						time.Sleep(time.Duration(number(400)) * time.Millisecond)
					}
				})
			}
			all.Wait()
			r.Close()
			read, err := trace.Read(&record)
			require.NoError(t, err)
			difference, err := trace.Replay(f, read, trace.Observer{})
			require.NoError(t, err)
			require.Nil(t, difference)
		})
	}
}

func submissionOf(s lifecycle.Step) string { return fmt.Sprint(s.Event.Kind, len(s.Effects), s.Err) }
