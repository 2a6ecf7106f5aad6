package lifecycle

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// wideForm has n fields in blocks of ten: texts, numbers and dates with rules,
// a comparison, a field that is asked only sometimes and one that is checked;
// and rows of three fields beside them, one of which is compared with another.
func wideForm(tb testing.TB, n int) *form.Form {
	d := form.Declaration{Name: "wide", Submit: form.SubmitPolicy{Method: "POST", Timeout: time.Second}, Buttons: []string{"apply"}}
	d.Fields = append(d.Fields,
		form.Field{Path: "crew", Kind: form.KindRows, Constraints: []form.Constraint{{Op: form.OpMaxItems, Value: form.Number(1000, 0)}}},
		form.Field{Path: "crew/*/name", Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpRequired}}},
		form.Field{Path: "crew/*/age", Kind: form.KindInteger, Constraints: []form.Constraint{{Op: form.OpMinimum, Value: form.Number(16, 0)}}},
		form.Field{Path: "crew/*/years", Kind: form.KindInteger, Constraints: []form.Constraint{{Op: form.OpRequired}, {Op: form.OpLessThan, Other: 2}}},
	)
	for k := len(d.Fields); len(d.Fields) < n+4; k++ {
		id := form.FieldID(len(d.Fields))
		path := "block" + strconv.Itoa(k/10) + "/field" + strconv.Itoa(k%10)
		f := form.Field{Path: path, Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpMaxLength, Value: form.Number(12, 0)}}}
		switch k % 10 {
		case 4:
			f = form.Field{Path: path, Kind: form.KindNumber, Constraints: []form.Constraint{{Op: form.OpMinimum, Value: form.Number(0, 0)}, {Op: form.OpMultipleOf, Value: form.Number(1, -1)}}}
		case 5, 6:
			f = form.Field{Path: path, Kind: form.KindDate}
			if k%10 == 6 {
				f.Constraints = []form.Constraint{{Op: form.OpGreaterThan, Other: id - 1}}
			}
		case 7:
			f = form.Field{Path: path, Kind: form.KindBoolean}
		case 8:
			f.Asked = []form.Condition{{{{Field: id - 1, Values: []form.Value{form.True()}}}}}
		case 9:
			f.Check = form.CheckPolicy{URL: "/check", Delay: time.Second, Timeout: time.Second}
		}
		d.Fields = append(d.Fields, f)
	}
	form, err := form.New(d)
	require.NoError(tb, err)
	return form
}

// randomEdits draws edits all over a form and its rows.
func randomEdits(f *form.Form, rows, count int) []Event {
	random := rand.New(rand.NewPCG(1, 2))
	raws := map[form.FieldKind][]string{
		form.KindText: {"", "Heron", "Egret of the marshes"}, form.KindNumber: {"", "9.4", "9.45", "x"}, form.KindInteger: {"", "15", "40"},
		form.KindDate: {"", "2031-05-02", "2031-05-09"}, form.KindBoolean: {"true", ""},
	}
	events := make([]Event, 0, count)
	for len(events) < count {
		id := form.FieldID(random.IntN(len(f.Fields)))
		if f.Fields[id].Kind == form.KindRows {
			continue
		}
		place := form.Place{Field: id, Row: -1}
		if _, inRows := f.Group(id); inRows {
			place.Row = int32(random.IntN(rows))
		}
		choices := raws[f.Fields[id].Kind]
		events = append(events, Edit(f.Path(place), choices[random.IntN(len(choices))]))
	}
	return events
}

func wideSession(tb testing.TB, n int) (*Session, []Event) {
	const rows = 4
	form := wideForm(tb, n)
	s, _ := Open(form, Seed{})
	for range rows {
		_, err := s.Apply(AddRow("crew"))
		require.NoError(tb, err)
	}
	events := randomEdits(form, rows, 1<<14)
	for _, e := range events { // warm
		_, err := s.Apply(e)
		require.NoError(tb, err)
	}
	for range 1 << 16 {
		if len(s.checks) == 0 {
			break
		}
		_, err := s.Apply(Elapsed(TimerID(s.checks[0].Timer)))
		require.NoError(tb, err)
	}
	return s, events
}

// BenchmarkEdit types a random text at a random field; every check that this
// starts is answered at once, so that the work out stays the same.
func BenchmarkEdit(b *testing.B) {
	for _, n := range []int{10, 1000, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			s, events := wideSession(b, n)
			b.ReportAllocs()
			for k := 0; b.Loop(); k++ {
				if _, err := s.Apply(events[k%len(events)]); err != nil {
					b.Fatal(err)
				}
				if len(s.checks) > 3 {
					s.Apply(Elapsed(TimerID(s.checks[0].Timer)))
				}
			}
		})
	}
}

// A field of wideForm has at most one dependent, so that an edit writes at most
// two cells, on ten fields and on ten thousand.
func TestAnEditTouchesItsFieldAndItsDependents(t *testing.T) {
	for _, n := range []int{10, 10_000} {
		s, events := wideSession(t, n)
		most, before := 0, make([]state.Cell, len(s.cells))
		for _, e := range events[:200] {
			copy(before, s.cells)
			_, err := s.Apply(e)
			require.NoError(t, err)
			touched := 0
			for i := range s.cells {
				if s.cells[i] != before[i] {
					touched++
				}
			}
			require.LessOrEqual(t, touched, len(s.changed), "%v", e)
			most = max(most, len(s.changed))
		}
		require.Equal(t, 2, most)
	}
}

func TestAnEditAllocatesNothing(t *testing.T) {
	s, events := wideSession(t, 1000)
	k := 0
	allocations := testing.AllocsPerRun(5000, func() {
		s.Apply(events[k])
		k++
		if len(s.checks) > 3 {
			s.Apply(Elapsed(TimerID(s.checks[0].Timer)))
		}
	})
	require.Zero(t, allocations)
}

// BenchmarkSubmit sends 10,000 fields and accepts them.
func BenchmarkSubmit(b *testing.B) {
	form := wideForm(b, 10_000)
	s, _ := Open(form, Seed{})
	attempt := int32(0)
	b.ReportAllocs()
	for b.Loop() {
		s.Apply(Edit("block1/field0", strconv.Itoa(int(attempt))))
		if _, err := s.Apply(Submit("")); err != nil || s.Submission() != SubmissionSending {
			b.Fatal(err, s.Submission())
		}
		attempt++
		if _, err := s.Apply(Replied(attempt, 1, &Reply{Kind: ReplyAccepted})); err != nil {
			b.Fatal(err)
		}
	}
}

// A bound of a size holds at, below and above it, whatever its digits are.
func TestBoundsOfSizes(t *testing.T) {
	for _, bound := range []int{1, 9, 10, 11, 20, 100, 250, 1000} {
		least, most := form.Constraint{Op: form.OpMinLength, Value: form.Number(int64(bound), 0)}, form.Constraint{Op: form.OpMaxLength, Value: form.Number(int64(bound), 0)}
		fewest, fullest := form.Constraint{Op: form.OpMinItems, Value: form.Number(int64(bound), 0)}, form.Constraint{Op: form.OpMaxItems, Value: form.Number(int64(bound), 0)}
		declared, err := form.New(form.Declaration{Name: "sizes", Fields: []form.Field{
			{Path: "long", Constraints: []form.Constraint{least}},
			{Path: "short", Constraints: []form.Constraint{most}},
			{Path: "many", Kind: form.KindRows, Constraints: []form.Constraint{fewest}},
			{Path: "many/*/name"},
			{Path: "few", Kind: form.KindRows, Constraints: []form.Constraint{fullest}},
			{Path: "few/*/name"},
		}})
		require.NoError(t, err)
		for _, size := range []int{bound - 1, bound, bound + 1} {
			s, _ := Open(declared, Seed{})
			for _, path := range []string{"long", "short"} {
				_, err = s.Apply(Edit(path, strings.Repeat("x", size)))
				require.NoError(t, err)
			}
			for range size {
				for _, path := range []string{"many", "few"} {
					_, err = s.Apply(AddRow(path))
					require.NoError(t, err)
				}
			}
			wrong := map[string]bool{}
			for f := range s.Fields() {
				wrong[f.Path()] = f.Wrong()
				if f.Declared().Kind == form.KindRows {
					require.Equal(t, !f.Wrong(), declared.Accepts(f.Place().Field, form.Number(int64(size), 0)))
				}
			}
			small, large := size < bound && size > 0, size > bound
			require.Equal(t, [4]bool{small, large, small, large}, [4]bool{wrong["long"], wrong["short"], wrong["many"], wrong["few"]}, "%d of %d", size, bound)
			if _, err := s.Apply(Submit("")); err == nil && size == bound {
				count, _ := state.RowCount(2, s.AppendSent(nil))
				require.Equal(t, size, count)
			}
		}
	}
}

// BenchmarkRows measures what works on a whole group: the time of each rises with
// the number of rows, and no faster.
func BenchmarkRows(b *testing.B) {
	declared, err := form.New(form.Declaration{
		Name: "rows", Fields: []form.Field{{Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name", Constraints: []form.Constraint{{Op: form.OpRequired}}}, {Path: "crew/*/role"}},
		Submit: form.SubmitPolicy{Method: "PUT", Timeout: time.Second}, Prefill: form.PrefillPolicy{URL: "/crew", Timeout: time.Second},
	})
	require.NoError(b, err)
	for _, rows := range []int{1000, 4000, 16_000} {
		values := []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(int64(rows), 0)}}
		for row := range int32(rows) {
			values = append(values, form.Answer{Place: form.Place{Field: 1, Row: row}, Value: form.Text("Heron")}, form.Answer{Place: form.Place{Field: 2, Row: row}, Value: form.Text("mate")})
		}
		last := "crew/" + strconv.Itoa(rows-1)
		run := func(name string, prepare, events []Event) {
			b.Run(fmt.Sprintf("%s/%d", name, rows), func(b *testing.B) {
				opened, _ := Open(declared, Seed{})
				s := &Session{}
				for _, e := range prepare {
					_, err := opened.Apply(e)
					require.NoError(b, err)
				}
				for b.Loop() {
					b.StopTimer()
					s.CopyFrom(opened)
					b.StartTimer()
					for _, e := range events {
						if _, err := s.Apply(e); err != nil {
							b.Fatal(err)
						}
						for f := range s.Changed() {
							_ = f.Place()
						}
					}
				}
			})
		}
		loaded := []Event{Loaded(1, values, "")}
		sent := append(slices.Clone(loaded), Edit(last+"/name", "Tern"), Submit(""))
		run("load", nil, loaded)
		run("accept", sent, []Event{Replied(1, 1, &Reply{Kind: ReplyAccepted, Version: "2"})})
		run("add", loaded, []Event{AddRow("crew")})
		run("remove", loaded, []Event{RemoveRow(last)})
		run("refresh", loaded, []Event{Refresh(), Loaded(2, values[:len(values)-2], "")})
		run("reset", append(slices.Clone(loaded), RemoveRow("crew/0")), []Event{Reset()})
	}
}

// A group that is the form's first field, whose rows need an answer, holds nothing while it
// has no rows. What is no group has no rows, and a group is none of its rows.
func TestAGroupThatComesFirst(t *testing.T) {
	declared, err := form.New(form.Declaration{
		Name: "crew", Buttons: []string{"send"}, Submit: form.SubmitPolicy{URL: "/crew", Method: "POST", Timeout: 1},
		Fields: []form.Field{{Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name", Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpRequired}}}, {Path: "boat", Kind: form.KindText}},
	})
	require.NoError(t, err)
	s, _ := Open(declared, Seed{})
	require.Empty(t, s.Holds("send").Words())
	_, err = s.Apply(AddRow("crew"))
	require.NoError(t, err)
	require.Equal(t, []string{"invalid"}, s.Holds("send").Words())
	for name, e := range map[string]Event{"add to a field": AddRow("boat"), "add to a row": AddRow("crew/0"), "remove a group": RemoveRow("crew"), "remove a field": RemoveRow("boat"), "move a group": MoveRow("crew", "crew/0")} {
		_, err = s.Apply(e)
		var unknown *UnknownError
		require.ErrorAs(t, err, &unknown, name)
		require.Equal(t, strings.HasPrefix(name, "add"), strings.Contains(err.Error(), "rows"), err.Error())
	}
	_, err = s.Apply(RemoveRow("crew/0"))
	require.NoError(t, err)
	require.Empty(t, s.Holds("send").Words())
}

// played opens a form and makes things happen, and returns the session and what the last
// step asked for.
func played(t *testing.T, d form.Declaration, events ...Event) (*Session, []Effect) {
	declared, err := form.New(d)
	require.NoError(t, err)
	s, effects := Open(declared, Seed{})
	for _, e := range events {
		effects, err = s.Apply(e)
		require.NoError(t, err, e.Kind)
	}
	return s, effects
}

func answer(field form.FieldID, row int32, text string) form.Answer {
	return form.Answer{Place: form.Place{Field: field, Row: row}, Value: form.Text(text)}
}

// Two groups of one form: what a load changes in one is nothing to the other, whose rows were
// typed in.
func TestTwoGroupsOfOneForm(t *testing.T) {
	body := func(dog string) []form.Answer {
		return []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(2, 0)}, answer(1, 0, "Ada"), answer(1, 1, "Bo"), {Place: form.Place{Field: 2, Row: -1}, Value: form.Number(2, 0)}, answer(3, 0, "Rex"), answer(3, 1, dog)}
	}
	s, _ := played(t, form.Declaration{
		Name: "trip", Buttons: []string{"send"}, Submit: form.SubmitPolicy{URL: "/trips", Method: "PUT", Timeout: time.Second}, Prefill: form.PrefillPolicy{URL: "/trip", Timeout: time.Second, Ask: true},
		Fields: []form.Field{{Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name", Kind: form.KindText}, {Path: "dogs", Kind: form.KindRows}, {Path: "dogs/*/name", Kind: form.KindText}},
	}, Loaded(1, body("Fido"), "1"), RemoveRow("crew/0"), Edit("dogs/0/name", "Rexi"), Refresh(), Loaded(2, body("Fidel"), "2"))
	for path, raw := range map[string]string{"crew/0/name": "Bo", "dogs/0/name": "Rexi", "dogs/1/name": "Fidel"} {
		f, ok := s.Field(path)
		require.True(t, ok, path)
		require.Equal(t, raw, f.Raw(), path)
		require.False(t, f.Contested(), path)
	}
	crew, _ := s.Field("crew")
	require.False(t, crew.Contested(), "the load has the crew as it was")
	_, err := s.Apply(MoveRow("dogs/1", "crew/0"))
	require.ErrorContains(t, err, "crew/0", "a row stays in its group")
}

// A load that brings more rows than were sent brings no new application; what is typed in one
// of them is one.
func TestMoreRowsThanWereSent(t *testing.T) {
	body := func(names ...string) []form.Answer {
		list := []form.Answer{{Place: form.Place{Field: 0, Row: -1}, Value: form.Number(int64(len(names)), 0)}}
		for k, name := range names {
			list = append(list, answer(1, int32(k), name))
		}
		return list
	}
	s, _ := played(t, form.Declaration{
		Name: "trip", Buttons: []string{"send"}, Submit: form.SubmitPolicy{URL: "/trips", Method: "POST", Timeout: time.Second}, Prefill: form.PrefillPolicy{URL: "/trip", Timeout: time.Second},
		Fields: []form.Field{{Path: "crew", Kind: form.KindRows}, {Path: "crew/*/name", Kind: form.KindText}},
	}, Loaded(1, body("Ada"), ""), Submit(""), Replied(1, 1, &Reply{Kind: ReplyAccepted}), Refresh(), Loaded(2, body("Ada", "Bo"), ""))
	require.True(t, s.Holds("send").Has(HoldReceived))
	_, err := s.Apply(Edit("crew/1/name", "Bea"))
	require.NoError(t, err)
	require.False(t, s.Holds("send").Has(HoldReceived))
}

// What is wrong with the whole form comes before a choice that has to be made.
func TestTheWholeFormComesBeforeAChoice(t *testing.T) {
	d := form.Declaration{
		Name: "boat", Buttons: []string{"send"}, Submit: form.SubmitPolicy{URL: "/boats", Method: "PUT", Timeout: time.Second}, Prefill: form.PrefillPolicy{URL: "/boat", Timeout: time.Second, Ask: true},
		Fields: []form.Field{{Path: "name", Kind: form.KindText}, {Path: "port", Kind: form.KindText}},
	}
	changedElsewhere := []Event{Refresh(), Loaded(2, []form.Answer{answer(0, -1, "Egret"), answer(1, -1, "North")}, "2"), Submit("send")}
	typed := []Event{Loaded(1, []form.Answer{answer(0, -1, "Heron"), answer(1, -1, "North")}, "1"), Edit("name", "Tern")}
	focus := func(events []Event) form.Place {
		_, effects := played(t, d, events...)
		for _, e := range effects {
			if e.Kind == EffectFocus {
				return e.Place
			}
		}
		t.Fatal("nothing has the focus")
		return form.Place{}
	}
	require.Equal(t, form.Place{Field: 0, Row: -1}, focus(append(slices.Clone(typed), changedElsewhere...)))
	refused := append(typed, Submit("send"), Replied(1, 1, &Reply{Kind: ReplyRefused, Entries: []Entry{{Text: "The port is closed."}}}))
	require.Equal(t, WholeForm, focus(append(refused, changedElsewhere...)))
}

// An attempt of which nobody knew is accepted, and what is newer is checked before it follows.
// A reset then goes back to what was accepted, unless the form
// declares that an acceptance clears it.
func TestAResetWhileNewerValuesAreChecked(t *testing.T) {
	for then, want := range map[form.Then]string{form.ThenKeep: "Heron", form.ThenClear: ""} {
		s, _ := played(t, form.Declaration{
			Name: "boat", Buttons: []string{"send"}, Submit: form.SubmitPolicy{URL: "/boats", Method: "PUT", Timeout: time.Second, Edit: true}, Accepted: form.AcceptedPolicy{Then: then},
			Fields: []form.Field{{Path: "name", Kind: form.KindText}, {Path: "port", Kind: form.KindText, Check: form.CheckPolicy{URL: "/ports/{value}", Delay: time.Second, Timeout: time.Second}}},
		}, Edit("name", "Heron"), Submit("send"), Elapsed(1), Edit("name", "Tern"), Submit("send"), Edit("port", "North"), Replied(1, 2, &Reply{Kind: ReplyAccepted}))
		require.Equal(t, ActivityChecking, s.Activity())
		_, err := s.Apply(Reset())
		require.NoError(t, err)
		name, _ := s.Field("name")
		require.Equal(t, want, name.Raw(), then)
	}
}

// An edit blocks a submit that waited for a check, and that lets a load in. The field that was
// edited keeps its text, also where that is what was saved before.
func TestALoadInTheStepOfAnEdit(t *testing.T) {
	s, _ := played(t, form.Declaration{
		Name: "boat", Buttons: []string{"send"}, Submit: form.SubmitPolicy{URL: "/boats", Method: "PUT", Timeout: time.Second}, Prefill: form.PrefillPolicy{URL: "/boat", Timeout: time.Second},
		Fields: []form.Field{{Path: "home", Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpEqualTo, Other: 1}}}, {Path: "port", Kind: form.KindText, Check: form.CheckPolicy{URL: "/ports/{value}", Delay: time.Second, Timeout: time.Second}}},
	}, Loaded(1, []form.Answer{answer(0, -1, "North"), answer(1, -1, "North")}, "1"), Edit("home", "South"), Edit("port", "South"), Submit("send"),
		Refresh(), Loaded(3, []form.Answer{answer(0, -1, "North"), answer(1, -1, "East")}, "2"), Edit("port", "North"))
	port, _ := s.Field("port")
	require.Equal(t, "North East", port.Raw()+" "+port.Baseline().String())
}

// A group that is not asked is absent, whatever rows it keeps: what is required beside its rows is
// not required then.
func TestWhatIsRequiredBesideAGroup(t *testing.T) {
	f, err := form.New(form.Declaration{Name: "f", Buttons: []string{"send"}, Fields: []form.Field{
		{Path: "staying", Kind: form.KindBoolean},
		{Path: "stays", Kind: form.KindRows, Asked: []form.Condition{{{{Field: 0, Values: []form.Value{form.True()}}}}}},
		{Path: "stays/*/berth", Kind: form.KindText},
		{Path: "email", Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpRequired, When: []form.Condition{{{{Field: 1, Present: true}}}}}}},
	}})
	require.NoError(t, err)
	s, _ := Open(f, Seed{1})
	for _, step := range []struct {
		event Event
		wrong bool
	}{
		{Edit("staying", "true"), false},
		{AddRow("stays"), true},
		{Edit("staying", ""), false},
		{Edit("staying", "true"), true},
		{RemoveRow("stays/0"), false},
	} {
		_, err := s.Apply(step.event)
		require.NoError(t, err)
		email, _ := s.Field("email")
		require.Equal(t, step.wrong, email.Wrong(), "after %v", step.event.Kind)
	}
}
