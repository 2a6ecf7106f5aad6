package lifecycle

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// steps takes events one after the other, and gives the effects of the last one.
func steps(t *testing.T, s *Session, events ...Event) (effects []Effect) {
	for _, e := range events {
		var err error
		effects, err = s.Apply(e)
		require.NoError(t, err, "%s %s", e.Kind, e.Path)
	}
	return effects
}

func accepted(version string) *Reply {
	return &Reply{Kind: ReplyAccepted, Version: version, RetryAfter: -1}
}

func textForm(t *testing.T, d form.Declaration, paths ...string) *form.Form {
	d.Name = "form"
	for _, path := range paths {
		d.Fields = append(d.Fields, form.Field{Path: path})
	}
	f, err := form.New(d)
	require.NoError(t, err)
	return f
}

// What a reader of a timer is told is what the effect that armed it said.
func TestTimersAreWhatTheyWereArmedFor(t *testing.T) {
	f := textForm(t, form.Declaration{Submit: form.SubmitPolicy{Timeout: 1, ResendTimes: 1, ResendWait: 1, ResendLongest: 1}, Prefill: form.PrefillPolicy{URL: "/r", Timeout: 1}}, "a")
	f.Fields[0].Check = form.CheckPolicy{URL: "/check", Delay: 1, Timeout: 1}
	s, opening := Open(f, Seed{})
	kinds := map[TimerKind]bool{}
	look := func(effects []Effect) {
		for _, e := range effects {
			if kind, known := s.TimerOf(e.Timer); e.Kind == EffectArm && known {
				require.Equal(t, e.Of, kind)
				kinds[kind] = true
			}
		}
	}
	look(opening)
	look(steps(t, s, Loaded(1, nil, ""), Edit("a", "x")))
	delay := s.checks[0].Timer
	look(steps(t, s, Elapsed(TimerID(delay))))
	look(steps(t, s, Checked(RequestID(s.checks[0].Request), nil), Submit("")))
	look(steps(t, s, Replied(1, 1, &Reply{Kind: ReplyUnavailable, RetryAfter: 1})))
	require.Len(t, kinds, 5)
}

// Rows are counted from one where they are announced.
func TestRowsAreAnnouncedByTheirNumber(t *testing.T) {
	f, err := form.New(form.Declaration{Name: "form", Fields: []form.Field{{Path: "crew", Kind: form.KindRows, Label: "Crew"}, {Path: "crew/*/name"}}})
	require.NoError(t, err)
	require.Contains(t, RowText(f, RemoveRow("crew/1")), "row 2 ")
	require.Contains(t, RowText(f, MoveRow("crew/1", "crew/0")), "number 1 ")
	require.Empty(t, RowText(f, Edit("crew/0/name", "x")))
}

// Of two things that one step says the more urgent level counts.
func TestTheUrgentLevelCounts(t *testing.T) {
	f := textForm(t, form.Declaration{Submit: form.SubmitPolicy{Method: "PUT", Timeout: 1, Edit: true}}, "a", "b")
	f.Fields[1].Constraints = []form.Constraint{{Op: form.OpMaxLength, Value: form.Number(1, 0)}}
	s, _ := Open(f, Seed{})
	steps(t, s, Edit("a", "x"), Submit(""), Replied(1, 1, &Reply{Kind: ReplyUnknown}), Edit("a", "y"), Submit(""), Edit("b", "too long"))
	said := Effect{}
	for _, e := range steps(t, s, Replied(1, 2, accepted(""))) {
		if e.Kind == EffectSay {
			said = e
		}
	}
	require.Equal(t, form.MessageAccepted, said.Message.ID)
	require.Equal(t, form.MessageBlockedInvalid, said.Message.And)
	require.Equal(t, Assertive, said.Level)
	_, level, _ := s.Notice()
	require.Equal(t, Assertive, level)
}

// A number that does not fit its Go type is told, and never cut to one that does.
func TestNumbersThatDoNotFit(t *testing.T) {
	f, err := form.New(form.Declaration{Name: "form", Fields: []form.Field{{Path: "n", Kind: form.KindInteger}}})
	require.NoError(t, err)
	for raw, fits := range map[string]bool{"127": true, "-128": true, "128": false, "300": false, "-129": false, "65536": false} {
		s, _ := Open(f, Seed{})
		steps(t, s, Edit("n", raw))
		var into struct {
			N int8 `json:"n"`
		}
		if err := s.Decode(&into); fits {
			require.NoError(t, err, raw)
		} else {
			require.ErrorContains(t, err, "does not fit int8", raw)
		}
		var small struct {
			N uint8 `json:"n"`
		}
		require.Equal(t, raw == "127" || raw == "128", s.Decode(&small) == nil, raw)
	}
}

// A page that opens with what another kept, and closes before a load has come, keeps the same: also answers that
// nobody typed, which an edit had brought back.
func TestCleanAnswersAreKeptAgain(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "form", Prefill: form.PrefillPolicy{URL: "/r", Timeout: 1}, Submit: form.SubmitPolicy{Method: "PUT"},
		Defaults: []form.Answer{{Place: form.Place{Field: 1, Row: -1}, Value: form.Text("Heron")}},
		Fields:   []form.Field{{Path: "box", Kind: form.KindBoolean}, {Path: "h", Asked: []form.Condition{{{{Field: 0, Values: []form.Value{form.True()}}}}}}},
	})
	require.NoError(t, err)
	s, _ := Open(f, Seed{})
	steps(t, s, Loaded(1, []form.Answer{{Place: form.Place{Field: 0, Row: -1}}, {Place: form.Place{Field: 1, Row: -1}, Value: form.Text("Heron")}}, `"1"`), Edit("box", "true"))
	kept, _ := s.Draft()
	require.True(t, slices.ContainsFunc(kept.Values, func(k DraftAnswer) bool { return k.Path == "h" && k.Clean }), "%+v", kept.Values)
	next, _ := Open(f, Seed{})
	steps(t, next, Restore(kept))
	again, _ := next.Draft()
	require.Equal(t, kept, again)
}

// The version that is known is kept with unsaved work, also without an attempt, on a form that replaces.
func TestTheVersionIsKept(t *testing.T) {
	for method, version := range map[string]string{"PUT": `"7"`, "PATCH": `"7"`, "POST": ""} {
		f := textForm(t, form.Declaration{Submit: form.SubmitPolicy{Method: method, Timeout: 1}, Prefill: form.PrefillPolicy{URL: "/r", Timeout: 1}}, "a")
		s, _ := Open(f, Seed{})
		steps(t, s, Loaded(1, []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("Egret")}}, `"7"`), Edit("a", "Tern"))
		kept, _ := s.Draft()
		require.Equal(t, version, kept.Version, method)
		next, _ := Open(f, Seed{1})
		steps(t, next, Restore(kept), LoadFailed(1, "status 500"))
		require.Equal(t, version, next.Version())
	}
}

// A merge patch says a group as a whole: after its acceptance what was not asked in a row, and so not sent, is not
// saved any more.
func TestAPatchSaysAGroupAsAWhole(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "form", Prefill: form.PrefillPolicy{URL: "/r", Timeout: 1}, Submit: form.SubmitPolicy{Method: "PATCH", Timeout: 1},
		Fields: []form.Field{
			{Path: "crew", Kind: form.KindRows},
			{Path: "crew/*/name"},
			{Path: "crew/*/cook", Kind: form.KindBoolean},
			{Path: "crew/*/dish", Asked: []form.Condition{{{{Field: 2, Values: []form.Value{form.True()}}}}}},
		},
	})
	require.NoError(t, err)
	at := func(field form.FieldID, row int32, v form.Value) form.Answer {
		return form.Answer{Place: form.Place{Field: field, Row: row}, Value: v}
	}
	s, _ := Open(f, Seed{})
	steps(t, s, Loaded(1, []form.Answer{at(0, -1, form.Number(1, 0)), at(1, 0, form.Text("Ada")), at(3, 0, form.Text("soup"))}, `"1"`),
		Edit("crew/0/dish", "stew"), Edit("crew/0/name", "Bo"), Submit(""), Replied(1, 1, accepted(`"2"`)), Reset(), Edit("crew/0/cook", "true"))
	dish, _ := s.Field("crew/0/dish")
	require.True(t, dish.Asked())
	require.True(t, dish.Baseline().Absent(), dish.Baseline())
	require.Equal(t, "", dish.Raw())
}

// Of a form of which leaving asks only about what was left, what was typed since and not left is no reason.
func TestWhatWasTypedAndNotLeftIsNoReason(t *testing.T) {
	f := textForm(t, form.Declaration{Submit: form.SubmitPolicy{Timeout: time.Second, Edit: true}, Leave: form.LeavePolicy{When: form.LeaveDirtyAndTouched}}, "a", "b")
	s, _ := Open(f, Seed{})
	steps(t, s, Edit("a", "x"), Submit(""), Edit("b", "y"), LeaveAsked("/tides", LeaveInside))
	reason, _ := s.Asking()
	require.Equal(t, AskSending, reason)
	steps(t, s, LeaveDecided(DecisionStay), Blur("b"), LeaveAsked("/tides", LeaveInside))
	reason, _ = s.Asking()
	require.Equal(t, AskUnsaved, reason)
}

// The exact state tells the rows that were sent from others.
func TestTheExactStateHasTheRowsThatWereSent(t *testing.T) {
	f, err := form.New(form.Declaration{Name: "form", Submit: form.SubmitPolicy{Timeout: 1, Edit: true}, Fields: []form.Field{{Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name"}}})
	require.NoError(t, err)
	exact := func(sent, after []Event) string {
		s, _ := Open(f, Seed{})
		steps(t, s, append(append(sent, Submit("")), after...)...)
		return string(state.AppendExact(nil, s))
	}
	two, one := []Event{AddRow("crew"), AddRow("crew")}, []Event{AddRow("crew")}
	require.NotEqual(t, exact(two, []Event{RemoveRow("crew/1")}), exact(one, []Event{AddRow("crew"), RemoveRow("crew/1")}))
	s, _ := Open(f, Seed{})
	steps(t, s, append(two, Submit(""))...)
	moved := &Session{}
	moved.CopyFrom(s)
	g := &moved.groups[0]
	moved.setRowList(0, state.InSent, []int32{g.Sent[1], g.Sent[0]})
	require.NotEqual(t, string(state.AppendExact(nil, s)), string(state.AppendExact(nil, moved)))
	require.False(t, strings.Contains(string(state.AppendExact(nil, s)), "nothing"))
}
