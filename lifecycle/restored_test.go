package lifecycle

import (
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// Answers that wait for their rows beside an attempt that is open are placed by what
// comes first: the load, or the acceptance. They are edited since where they differ
// from what was sent, and what was not sent is not. What is refused of a row that has not come goes
// to the row. What had been sent is no news where the load brings it.
func TestWaitingAnswersBesideAnOpenAttempt(t *testing.T) {
	declared, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"},
		Prefill: form.PrefillPolicy{URL: "/berths", Needed: true, Timeout: 1, Ask: true},
		Submit:  form.SubmitPolicy{URL: "/berths", Method: "PUT", Timeout: 1, Edit: true},
		Fields:  []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}, {Path: "berths/*/note", Kind: form.KindText}},
	})
	require.NoError(t, err)
	body := func(vessels ...string) []form.Answer {
		list := []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(int64(len(vessels)), 0)}}
		for k, vessel := range vessels {
			list = append(list, form.Answer{Place: form.Place{Field: 1, Row: int32(k)}, Value: form.Text(vessel)})
		}
		return list
	}
	open := func() (*Session, RequestID) {
		s, effects := Open(declared, Seed{})
		load := effects[slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectLoad })].Request
		sent := body("Heron", "Egret")
		kept := []DraftAnswer{
			{Path: "berths/0/vessel", Raw: "Heron", Baseline: form.Text("Hern")},
			{Path: "berths/1/vessel", Raw: "Gull", Baseline: form.Text("Tern")},
			{Path: "berths/2/vessel", Raw: "Rail", Baseline: form.Text("Rook")},
		}
		_, err := s.Apply(Restore(&Draft{Values: kept, Attempt: &DraftAttempt{Key: Key{1}, Button: "save", Version: "1", Values: sent}}))
		require.NoError(t, err)
		require.Len(t, s.Waiting(), 3)
		return s, load
	}
	reads := func(s *Session, path string) (value string, since bool) {
		f, ok := s.Field(path)
		require.True(t, ok, path)
		return f.Value().String(), f.EditedSince()
	}

	s, load := open()
	_, err = s.Apply(Loaded(load, body("Hern", "Tern", "Rook"), "1"))
	require.NoError(t, err)
	require.Empty(t, s.Waiting())
	for path, want := range map[string]string{"berths/0/vessel": "Heron", "berths/1/vessel": "Gull", "berths/2/vessel": "Rail"} {
		value, since := reads(s, path)
		require.Equal(t, want, value)
		require.Equal(t, want == "Gull", since, path)
	}

	for loaded, contested := range map[string]bool{"Egret": false, "Swan": true} {
		s, load = open()
		_, err = s.Apply(Loaded(load, body("Hern", loaded, "Rook"), "1"))
		require.NoError(t, err)
		gull, _ := s.Field("berths/1/vessel")
		require.Equal(t, contested, gull.Contested(), loaded)
	}

	s, load = open()
	_, err = s.Apply(Retry())
	require.NoError(t, err)
	_, err = s.Apply(Replied(1, 2, &Reply{Kind: ReplyRefused, Entries: []Entry{{Path: "berths/1/vessel", Text: "Gull lies elsewhere."}}}))
	require.NoError(t, err)
	require.Len(t, s.FormIssues(), 1, "the row has not come")
	_, err = s.Apply(Loaded(load, body("Hern", "Tern"), "1"))
	require.NoError(t, err)
	require.Empty(t, s.FormIssues())
	refused, _ := s.Field("berths/1/vessel")
	require.True(t, refused.HasIssueOf(SourceServer))

	s, _ = open()
	_, err = s.Apply(Retry())
	require.NoError(t, err)
	_, err = s.Apply(Replied(1, 2, &Reply{Kind: ReplyAccepted, Version: "2"}))
	require.NoError(t, err)
	value, since := reads(s, "berths/0/vessel")
	require.Equal(t, "Heron", value)
	require.False(t, since)
	value, _ = reads(s, "berths/1/vessel")
	require.Equal(t, "Gull", value)
	require.EqualValues(t, 3, s.dirty(), "Gull; Rail, and the row that it stands in at the end")
}

// An attempt that does not fit is not taken over, and the page says that it is not
// known what came of it. A group is kept whole while an attempt is open.
func TestAttemptsThatDoNotFit(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "POST", Timeout: 1},
		Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}, {Path: "quay", Kind: form.KindInteger}},
	})
	require.NoError(t, err)
	rows := func(count int64) form.Answer {
		return form.Answer{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(count, 0)}
	}
	whole := []DraftGroup{{Path: "berths", Rows: [][]DraftAnswer{{}}, Now: 1, Sent: []int32{0}}}
	for name, kept := range map[string]Draft{
		"more rows than any form has":  {Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{rows(mostRows + 1)}}},
		"fewer rows than none":         {Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{rows(-1)}}},
		"rows that the group has not":  {Groups: whole, Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{rows(2)}}},
		"a row that was not sent":      {Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{rows(1), {Place: form.Place{Field: 1, Row: 1}, Value: form.Text("Heron")}}}},
		"a value of another kind":      {Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{{Place: form.Place{Field: 2, Row: -1}, Value: form.Text("Heron")}}}},
		"a button that the form lacks": {Attempt: &DraftAttempt{Button: "apply"}},
		"a field behind the last":      {Groups: whole, Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{rows(1), {Place: form.Place{Field: 3, Row: -1}}}}},
		"a value that fits before":     {Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{{Place: form.Place{Field: 2, Row: -1}, Value: form.Number(4, 0), Changed: true}, {Place: form.Place{Field: 3, Row: -1}}}}},
		"a field before the first":     {Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{{Place: form.Place{Field: -1, Row: -1}}}}},
	} {
		s, _ := Open(f, Seed{})
		effects, err := s.Apply(Restore(&kept))
		require.NoError(t, err, name)
		require.Zero(t, s.Attempt().Number, name)
		require.Empty(t, s.groups[0].Sent, name)
		require.True(t, s.cells[2].Sent.Absent() && !s.has(2, state.BitSent|state.BitSentChanged), name)
		k := slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectSay })
		require.GreaterOrEqual(t, k, 0, name)
		require.Equal(t, form.MessageUnsettledPrivate, effects[k].Message.ID, name)
	}
	for count, fits := range map[int]bool{mostRows: true, mostRows + 1: false} {
		s, _ := Open(f, Seed{})
		_, err := s.Apply(Restore(&Draft{Groups: []DraftGroup{{Path: "berths", Rows: make([][]DraftAnswer, count), Now: int32(count)}}}))
		require.NoError(t, err)
		berths, _ := s.Field("berths")
		require.Equal(t, fits, berths.Rows() == count)
	}
	s, _ := Open(f, Seed{})
	_, err = s.Apply(Restore(&Draft{Groups: whole, Attempt: &DraftAttempt{Button: "save", Values: []form.Answer{rows(1)}}}))
	require.NoError(t, err)
	require.EqualValues(t, 1, s.Attempt().Number)
	_, err = s.Apply(Replied(1, 1, &Reply{Kind: ReplyAccepted}))
	require.NoError(t, err)
	_, err = s.Apply(Edit("quay", "4"))
	require.NoError(t, err)
	_, err = s.Apply(Submit(""))
	require.NoError(t, err)
	kept, _ := s.Draft()
	require.Len(t, kept.Groups, 1)
}

// A group says whether a private answer was typed in a row that is there: the next page
// tells that it has to be entered again.
func TestPrivateAnswersOfKeptRows(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "PUT", Timeout: 1}, Prefill: form.PrefillPolicy{URL: "/berths", Timeout: 1},
		Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}, {Path: "berths/*/pin", Kind: form.KindText, Private: true}},
	})
	require.NoError(t, err)
	s, opening := Open(f, Seed{})
	private := func(events ...Event) bool {
		for _, e := range events {
			_, err := s.Apply(e)
			require.NoError(t, err, e.Kind.String())
		}
		kept, _ := s.Draft()
		require.Len(t, kept.Groups, 1)
		return kept.Groups[0].Private
	}
	body := []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(1, 0)}, {Place: form.Place{Field: 2, Row: 0}, Value: form.Text("1111")}}
	require.False(t, private(Loaded(opening[0].Request, body, "1"), AddRow("berths")), "it is as saved")
	require.True(t, private(Edit("berths/1/pin", "2222")))
	require.False(t, private(Edit("berths/1/pin", "")), "there is none")
	require.True(t, private(Edit("berths/0/pin", "3333")))
	require.False(t, private(RemoveRow("berths/0")), "it is gone with its row")
}

// That a private answer has to be entered again is said, whichever group it was typed in; and a
// group whose numbers cannot be is left out.
func TestPrivateAnswersOfTwoGroups(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "POST", Timeout: 1},
		Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/pin", Kind: form.KindText, Private: true}, {Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name", Kind: form.KindText}},
	})
	require.NoError(t, err)
	for now, said := range map[int32]form.MessageID{1: form.MessageRestoredPrivate, -1: form.MessageRestoredLeftOut, 2: form.MessageRestoredLeftOut} {
		s, _ := Open(f, Seed{})
		effects, err := s.Apply(Restore(&Draft{Groups: []DraftGroup{{Path: "berths", Rows: [][]DraftAnswer{{}}, Now: 1, Private: true}, {Path: "crew", Rows: [][]DraftAnswer{{}}, Now: now}}}))
		require.NoError(t, err)
		k := slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectSay })
		require.GreaterOrEqual(t, k, 0)
		require.Equal(t, said, effects[k].Message.ID, now)
	}
}

// A group whose lists name rows that it has not, or one twice, is left out.
func TestListsOfKeptRows(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "POST", Timeout: 1},
		Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}},
	})
	require.NoError(t, err)
	for rows, lists := range map[int][][]int32{2: {{0, 1}, {1}, {}}, 0: {{0, 0}, {1, 0, 1}, {2}, {-1}, {0, 2}}} {
		for _, list := range lists {
			for _, kept := range []DraftGroup{{Base: list}, {Sent: list}} {
				kept.Path, kept.Rows, kept.Now = "berths", [][]DraftAnswer{{}, {}}, 2
				s, _ := Open(f, Seed{})
				_, err := s.Apply(Restore(&Draft{Groups: []DraftGroup{kept}}))
				require.NoError(t, err)
				berths, _ := s.Field("berths")
				require.Equal(t, rows, berths.Rows(), kept)
			}
		}
	}
}

// A group that was kept whole is kept whole again until a load has met it, also where its rows
// are those that were saved.
func TestAGroupIsKeptWholeAgain(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "PUT", Timeout: 1}, Prefill: form.PrefillPolicy{URL: "/berths", Timeout: 1},
		Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}},
	})
	require.NoError(t, err)
	s, opening := Open(f, Seed{})
	groups := []DraftGroup{{Path: "berths", Rows: [][]DraftAnswer{{}}, Base: []int32{0}, Now: 1}}
	_, err = s.Apply(Restore(&Draft{Groups: groups}))
	require.NoError(t, err)
	kept, _ := s.Draft()
	require.NotNil(t, kept)
	require.Len(t, kept.Groups, 1)
	require.EqualValues(t, 1, kept.Groups[0].Now)
	require.Equal(t, []int32{0}, kept.Groups[0].Base)
	_, err = s.Apply(Loaded(opening[0].Request, []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(1, 0)}}, "1"))
	require.NoError(t, err)
	kept, _ = s.Draft()
	require.Nil(t, kept, "the load has met it")
}

// An attempt of an earlier page had a version, and its acceptance brings none: the newest answers
// are loaded, though this page has loaded nothing.
func TestAnAcceptanceThatLosesTheVersionOfAnEarlierPage(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berth", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "PUT", Timeout: 1}, Prefill: form.PrefillPolicy{URL: "/berth", Timeout: 1},
		Fields: []form.Field{{Path: "vessel", Kind: form.KindText}},
	})
	require.NoError(t, err)
	for version, loads := range map[string]bool{"1": true, "": false} {
		s, opening := Open(f, Seed{})
		sent := []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("Heron"), Changed: true}}
		var effects []Effect
		for _, e := range []Event{
			Restore(&Draft{Attempt: &DraftAttempt{Button: "save", Version: version, Values: sent}}),
			LoadFailed(opening[0].Request, "closed"), Retry(), Replied(1, 2, &Reply{Kind: ReplyAccepted}),
		} {
			effects, err = s.Apply(e)
			require.NoError(t, err, e.Kind.String())
		}
		require.Equal(t, loads, slices.ContainsFunc(effects, func(e Effect) bool { return e.Kind == EffectLoad }), version)
	}
}

// What is told of a try that there never was, or tells nothing, is the caller's mistake.
func TestRepliesToNoTry(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berth", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "POST", Timeout: 1}, Fields: []form.Field{{Path: "vessel", Kind: form.KindText}},
	})
	require.NoError(t, err)
	s, _ := Open(f, Seed{})
	_, err = s.Apply(Submit(""))
	require.NoError(t, err)
	for _, e := range []Event{Replied(1, 0, &Reply{Kind: ReplyAccepted}), Replied(1, 2, &Reply{Kind: ReplyAccepted}), Replied(1, 1, nil), Replied(2, 1, &Reply{Kind: ReplyAccepted}), Replied(0, 1, &Reply{Kind: ReplyAccepted})} {
		var unknown *UnknownError
		_, err := s.Apply(e)
		require.ErrorAs(t, err, &unknown)
		require.Equal(t, ActivitySending, s.Activity())
	}
}

// A kept row that nobody saved has no baseline, whatever a damaged store says.
func TestAKeptRowThatNobodySaved(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berths", Buttons: []string{"save"}, Submit: form.SubmitPolicy{Method: "PUT", Timeout: 1}, Prefill: form.PrefillPolicy{URL: "/berths", Timeout: 1},
		Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}},
	})
	require.NoError(t, err)
	s, _ := Open(f, Seed{})
	row := func(text string) []DraftAnswer {
		return []DraftAnswer{{Path: "berths/*/vessel", Raw: text, Baseline: form.Text("Tern")}}
	}
	_, err = s.Apply(Restore(&Draft{Groups: []DraftGroup{{Path: "berths", Rows: [][]DraftAnswer{row("Heron"), row("Egret")}, Now: 2, Base: []int32{0}}}}))
	require.NoError(t, err)
	for path, want := range map[string]form.Value{"berths/0/vessel": form.Text("Tern"), "berths/1/vessel": {}} {
		read, ok := s.Field(path)
		require.True(t, ok, path)
		require.Equal(t, want, read.Baseline(), path)
	}
}

// An event that names what the form or the session has never had is the caller's
// mistake.
func TestWhatWasNeverThere(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berth", Submit: form.SubmitPolicy{Timeout: 1}, Buttons: []string{"save"},
		Fields: []form.Field{{Path: "vessel"}, {Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name"}},
	})
	require.NoError(t, err)
	for _, e := range []Event{
		Loaded(9, nil, ""), LoadFailed(9, ""), Checked(9, nil), CheckFailed(9), Replied(9, 1, &Reply{}), Elapsed(0), Elapsed(99), Edit("draught", ""), Edit("crew", "1"), Submit("apply"), Blur("x"),
	} {
		s, _ := Open(f, Seed{})
		_, err := s.Apply(e)
		var unknown *UnknownError
		require.ErrorAs(t, err, &unknown, e.Kind.String())
	}
}

// Answers of a body that belong to no field are passed over.
func TestAnswersOfNoField(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berth", Prefill: form.PrefillPolicy{URL: "/berth", Timeout: 1}, Submit: form.SubmitPolicy{Timeout: 1}, Buttons: []string{"save"},
		Fields: []form.Field{{Path: "vessel"}, {Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name"}},
	})
	require.NoError(t, err)
	s, opening := Open(f, Seed{})
	one := form.Text("one")
	_, err = s.Apply(Loaded(opening[0].Request, []form.Answer{
		{Place: form.Place{Field: -1, Row: -1}, Value: one},
		{Place: form.Place{Field: 3, Row: -1}, Value: one},
		{Place: form.Place{Field: 1, Row: 0}, Value: one},
		{Place: form.Place{Field: 2, Row: 0}, Value: one},
		{Place: form.Place{Field: 0, Row: -1}, Value: form.Text("Heron")},
	}, ""))
	require.NoError(t, err)
	vessel, _ := s.Field("vessel")
	require.Equal(t, "Heron", vessel.Raw())
	require.Empty(t, Recount(s))
	crew, _ := s.Field("crew")
	require.Zero(t, crew.Rows())
}

// A group that has to have rows only sometimes may have none at other times.
func TestRowsThatAreNeededSometimes(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berth", Submit: form.SubmitPolicy{Timeout: 1}, Buttons: []string{"save"},
		Fields: []form.Field{
			{Path: "staffed", Kind: form.KindBoolean},
			{Path: "crew", Kind: form.KindRows, Constraints: []form.Constraint{{Op: form.OpRequired, When: []form.Condition{{{{Field: 0, Present: true}}}}}}},
			{Path: "crew/*/name"},
		},
	})
	require.NoError(t, err)
	s, _ := Open(f, Seed{})
	for _, c := range []struct {
		staffed string
		held    bool
	}{{"", false}, {"true", true}, {"", false}} {
		_, err := s.Apply(Edit("staffed", c.staffed))
		require.NoError(t, err)
		require.Equal(t, c.held, s.Holds("").Has(HoldInvalid), c.staffed)
	}
}

// What does not fit is said at once: the applicant would miss it.
func TestWhatIsLeftOutIsSaidAtOnce(t *testing.T) {
	f, err := form.New(form.Declaration{
		Name: "berth", Submit: form.SubmitPolicy{Timeout: 1}, Buttons: []string{"save"},
		Fields: []form.Field{{Path: "vessel"}, {Path: "length", Kind: form.KindInteger}, {Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name"}},
	})
	require.NoError(t, err)
	for _, left := range []DraftAnswer{
		{Path: "draught", Raw: "2"},
		{Path: "crew", Raw: "1"},
		{Path: "crew/" + strconv.Itoa(mostRows) + "/name", Raw: "Ada"},
		{Path: "length", Raw: "9", Baseline: form.Text("nine")},
		{Path: "crew/0/name", Raw: "Ada", Baseline: form.Number(1, 0)},
	} {
		s, _ := Open(f, Seed{})
		effects, err := s.Apply(Restore(&Draft{Values: []DraftAnswer{{Path: "vessel", Raw: "Heron"}, left}}))
		require.NoError(t, err)
		k := slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectSay })
		require.GreaterOrEqual(t, k, 0, left.Path)
		require.Equal(t, form.MessageRestoredLeftOut, effects[k].Message.ID, left.Path)
		require.EqualValues(t, 1, effects[k].Message.Count, left.Path)
		require.Equal(t, Assertive, effects[k].Level)
		vessel, _ := s.Field("vessel")
		require.Equal(t, "Heron", vessel.Raw())
	}
}

// A row that somebody typed in takes nothing of a newer load; the rows beside it follow
// it, and where they are as many, the group is not contested for that.
func TestRowsBesideOneThatIsTyped(t *testing.T) {
	for _, ask := range []bool{false, true} {
		declared, err := form.New(form.Declaration{
			Name: "berths", Buttons: []string{"save"}, Prefill: form.PrefillPolicy{URL: "/berths", Timeout: 1, Ask: ask}, Submit: form.SubmitPolicy{URL: "/berths", Method: "PUT", Timeout: 1},
			Fields: []form.Field{{Path: "berths", Kind: form.KindRows}, {Path: "berths/*/vessel", Kind: form.KindText}},
		})
		require.NoError(t, err)
		body := func(vessels ...string) []form.Answer {
			list := []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(int64(len(vessels)), 0)}}
			for k, vessel := range vessels {
				list = append(list, form.Answer{Place: form.Place{Field: 1, Row: int32(k)}, Value: form.Text(vessel)})
			}
			return list
		}
		s, _ := Open(declared, Seed{})
		load := func(vessels ...string) {
			effects, err := s.Apply(Refresh())
			require.NoError(t, err)
			_, err = s.Apply(Loaded(effects[slices.IndexFunc(effects, func(e Effect) bool { return e.Kind == EffectLoad })].Request, body(vessels...), ""))
			require.NoError(t, err)
		}
		is := func(path, value string, contested bool) {
			f, ok := s.Field(path)
			require.True(t, ok, path)
			require.Equal(t, contested, f.Contested(), path)
			if value != "" {
				require.Equal(t, value, f.Value().String(), path)
			}
		}
		load("Heron", "Tern", "Gull")
		_, err = s.Apply(Edit("berths/0/vessel", "Egret"))
		require.NoError(t, err)
		load("Heron", "Knot", "Gull")
		is("berths", "", false)
		is("berths/0/vessel", "Egret", false)
		is("berths/1/vessel", "Knot", false)
		load("Dunlin", "Knot", "Gull")
		is("berths/0/vessel", "Egret", ask)

		// One row less: the group is contested as a whole, and no row in it apart.
		load("Dunlin", "Gull")
		is("berths", "", true)
		is("berths/0/vessel", "Egret", false)

		// A row that was sent, and whose outcome is not known, comes with the load that has
		// it, though it was taken back meanwhile and its neighbour is being typed in.
		s, _ = Open(declared, Seed{})
		load("Heron")
		for _, e := range []Event{AddRow("berths"), Edit("berths/1/vessel", "Tern"), Submit(""), Cancel(), Reset(), Edit("berths/0/vessel", "Egret")} {
			_, err := s.Apply(e)
			require.NoError(t, err)
		}
		load("Heron", "Tern") // it waits until the attempt is settled
		_, err = s.Apply(Retry())
		require.NoError(t, err)
		_, err = s.Apply(Replied(1, 2, &Reply{Kind: ReplyRefused}))
		require.NoError(t, err)
		is("berths", "", false)
		is("berths/0/vessel", "Egret", false)
		is("berths/1/vessel", "Tern", false)
	}
}

// A kept group is one of the form, and not one of its rows.
func TestAKeptGroupIsNoRow(t *testing.T) {
	s := fullSession(t)
	fresh, _ := Open(s.form, Seed{})
	_, err := fresh.Apply(Restore(&Draft{Groups: []DraftGroup{{Path: "berths/0", Rows: [][]DraftAnswer{{{Path: "berths/*/vessel", Raw: "Gull"}}}, Now: 1}}}))
	require.NoError(t, err)
	message, _, _ := fresh.Notice()
	require.Equal(t, form.MessageRestoredLeftOut, message.ID)
}
