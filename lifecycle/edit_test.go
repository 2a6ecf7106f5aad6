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
)

// wideForm has n fields in blocks of ten: texts, numbers and dates with rules,
// a comparison, a field that is asked only sometimes and one that is checked;
// and rows of two fields beside them.
func wideForm(tb testing.TB, n int) *Form {
	d := Declaration{Name: "wide", Submit: SubmitPolicy{Method: "POST", Timeout: time.Second}, Buttons: []string{"apply"}}
	d.Fields = append(d.Fields,
		Field{Path: "crew", Kind: KindRows, Constraints: []Constraint{{Op: OpMaxItems, Value: Number(1000, 0)}}},
		Field{Path: "crew/*/name", Kind: KindText, Constraints: []Constraint{{Op: OpRequired}}},
		Field{Path: "crew/*/age", Kind: KindInteger, Constraints: []Constraint{{Op: OpMinimum, Value: Number(16, 0)}}},
	)
	for k := len(d.Fields); len(d.Fields) < n+3; k++ {
		id := FieldID(len(d.Fields))
		path := "block" + strconv.Itoa(k/10) + "/field" + strconv.Itoa(k%10)
		f := Field{Path: path, Kind: KindText, Constraints: []Constraint{{Op: OpMaxLength, Value: Number(12, 0)}}}
		switch k % 10 {
		case 4:
			f = Field{Path: path, Kind: KindNumber, Constraints: []Constraint{{Op: OpMinimum, Value: Number(0, 0)}, {Op: OpMultipleOf, Value: Number(1, -1)}}}
		case 5, 6:
			f = Field{Path: path, Kind: KindDate}
			if k%10 == 6 {
				f.Constraints = []Constraint{{Op: OpGreaterThan, Other: id - 1}}
			}
		case 7:
			f = Field{Path: path, Kind: KindBoolean}
		case 8:
			f.Asked = []Condition{{{{Field: id - 1, Values: []Value{True()}}}}}
		case 9:
			f.Check = CheckPolicy{URL: "/check", Delay: time.Second, Timeout: time.Second}
		}
		d.Fields = append(d.Fields, f)
	}
	form, err := NewForm(d)
	require.NoError(tb, err)
	return form
}

// randomEdits draws edits all over a form and its rows.
func randomEdits(form *Form, rows, count int) []Event {
	random := rand.New(rand.NewPCG(1, 2))
	raws := map[FieldKind][]string{
		KindText: {"", "Heron", "Egret of the marshes"}, KindNumber: {"", "9.4", "9.45", "x"}, KindInteger: {"", "15", "40"},
		KindDate: {"", "2031-05-02", "2031-05-09"}, KindBoolean: {"true", ""},
	}
	events := make([]Event, 0, count)
	for len(events) < count {
		id := FieldID(random.IntN(len(form.Fields)))
		if form.Fields[id].Kind == KindRows {
			continue
		}
		place := Place{id, -1}
		if _, inRows := form.Group(id); inRows {
			place.Row = int32(random.IntN(rows))
		}
		choices := raws[form.Fields[id].Kind]
		events = append(events, Edit(form.Path(place), choices[random.IntN(len(choices))]))
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
		_, err := s.Apply(Elapsed(s.checks[0].timer))
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
					s.Apply(Elapsed(s.checks[0].timer))
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
		most, before := 0, make([]cell, len(s.cells))
		for _, e := range events[:200] {
			copy(before, s.cells)
			_, err := s.Apply(e)
			require.NoError(t, err)
			touched := 0
			for i := range s.cells {
				before[i].bits &^= bitChanged
				after := s.cells[i]
				after.bits &^= bitChanged
				if after != before[i] {
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
			s.Apply(Elapsed(s.checks[0].timer))
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
		least, most := Constraint{Op: OpMinLength, Value: Number(int64(bound), 0)}, Constraint{Op: OpMaxLength, Value: Number(int64(bound), 0)}
		fewest, fullest := Constraint{Op: OpMinItems, Value: Number(int64(bound), 0)}, Constraint{Op: OpMaxItems, Value: Number(int64(bound), 0)}
		form, err := NewForm(Declaration{Name: "sizes", Fields: []Field{
			{Path: "long", Constraints: []Constraint{least}},
			{Path: "short", Constraints: []Constraint{most}},
			{Path: "many", Kind: KindRows, Constraints: []Constraint{fewest}},
			{Path: "many/*/name"},
			{Path: "few", Kind: KindRows, Constraints: []Constraint{fullest}},
			{Path: "few/*/name"},
		}})
		require.NoError(t, err)
		for _, size := range []int{bound - 1, bound, bound + 1} {
			s, _ := Open(form, Seed{})
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
				if f.Declared().Kind == KindRows {
					require.Equal(t, !f.Wrong(), form.Accepts(f.Place().Field, Number(int64(size), 0)))
				}
			}
			small, large := size < bound && size > 0, size > bound
			require.Equal(t, [4]bool{small, large, small, large}, [4]bool{wrong["long"], wrong["short"], wrong["many"], wrong["few"]}, "%d of %d", size, bound)
			if _, err := s.Apply(Submit("")); err == nil && size == bound {
				count, _ := rowCount(2, s.AppendSent(nil))
				require.Equal(t, size, count)
			}
		}
	}
}

// BenchmarkRows measures what works on a whole group: the time of each rises with
// the number of rows, and no faster.
func BenchmarkRows(b *testing.B) {
	form, err := NewForm(Declaration{
		Name: "rows", Fields: []Field{{Path: "crew", Kind: KindRows}, {Path: "crew/*/name", Constraints: []Constraint{{Op: OpRequired}}}, {Path: "crew/*/role"}},
		Submit: SubmitPolicy{Method: "PUT", Timeout: time.Second}, Prefill: PrefillPolicy{URL: "/crew", Timeout: time.Second},
	})
	require.NoError(b, err)
	for _, rows := range []int{1000, 4000, 16_000} {
		values := []Answer{{Place: Place{0, -1}, Value: Number(int64(rows), 0)}}
		for row := range int32(rows) {
			values = append(values, Answer{Place: Place{1, row}, Value: Text("Heron")}, Answer{Place: Place{2, row}, Value: Text("mate")})
		}
		last := "crew/" + strconv.Itoa(rows-1)
		run := func(name string, prepare, events []Event) {
			b.Run(fmt.Sprintf("%s/%d", name, rows), func(b *testing.B) {
				opened, _ := Open(form, Seed{})
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
