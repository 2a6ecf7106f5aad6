package formhttp

import (
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// What the saved record has beyond the form goes back as Options.Load has brought it, and never as a request has it. Of a
// row a request only tells which of the saved rows it is: a client that speaks JSON by the members themselves, and a page
// by a digest of them.

// rowMark is the digest by which a page names a saved row. Nobody can tell the members from it.
func (h *Handler) rowMark(members form.Value) string {
	if members.Absent() {
		return ""
	}
	return h.digest("row", members.Text)
}

// markAt is the digest of a row of a session; it is empty where the saved record has nothing beyond the form there. Where
// nothing that is saved was read, it is the one that was sent.
func (h *Handler) markAt(v *visit, group form.FieldID, row int) string {
	beyond, marked := h.form.BeyondOf(group)
	if !marked {
		return ""
	}
	place := form.Place{Field: beyond, Row: int32(row)}
	if v.unread != nil {
		mark, _ := v.unread.at(place)
		return mark
	}
	f, there := v.session.At(place)
	if !there {
		return ""
	}
	return h.rowMark(f.Value())
}

// readMarks takes the digests of rows that a page has sent.
func (h *Handler) readMarks(posted []string, s *sent) {
	for _, value := range posted {
		row, mark, _ := strings.Cut(value, " ")
		place, known := h.form.Lookup(row)
		if !known || place.Row < 0 || int(place.Row) >= s.rows[h.form.Fields[place.Field].Path] {
			continue
		}
		if beyond, marked := h.form.BeyondOf(place.Field); marked {
			s.values = append(s.values, typed{form.Place{Field: beyond, Row: place.Row}, row, mark})
		}
	}
}

// arrange makes the rows of a group of the session those that were sent. A row that is one of the saved ones is moved to
// its place, and takes along what its record has beyond the form.
func (h *Handler) arrange(v *visit, s *sent, group form.FieldID) {
	path := h.form.Fields[group].Path
	at := func(row int) string { return path + "/" + strconv.Itoa(row) }
	from, saved := h.savedRows(v, s, group)
	var now []int
	for row := range saved {
		if slices.Contains(from, row) {
			now = append(now, row)
		}
	}
	for row := saved - 1; row >= 0; row-- {
		if !slices.Contains(now, row) {
			v.apply(lifecycle.RemoveRow(at(row)))
		}
	}
	for range len(from) - len(now) {
		v.apply(lifecycle.AddRow(path))
		now = append(now, newRowSent)
	}
	for to, row := range from {
		if is := to + slices.Index(now[to:], row); is != to {
			v.apply(lifecycle.MoveRow(at(is), at(to)))
			now = slices.Insert(slices.Delete(now, is, is+1), to, row)
		}
	}
}

// newRowSent stands for a saved row where there is none.
const newRowSent = -1

// savedRows tells of each row that was sent which row of the session it is, or that it is a new one; and how many the
// session has. Where the form does not send back what it does not know, rows go by their places. Else a row is the one
// whose mark it has, or one with the same answers, or the next of those without a mark.
func (h *Handler) savedRows(v *visit, s *sent, group form.FieldID) (from []int, count int) {
	path := h.form.Fields[group].Path
	head, _ := v.session.Field(path)
	count = head.Rows()
	from = slices.Repeat([]int{newRowSent}, s.rows[path])
	beyond, marked := h.form.BeyondOf(group)
	if !marked {
		for row := range min(len(from), count) {
			from[row] = row
		}
		return from, count
	}
	sentMarks, marks, taken := make([]string, len(from)), make([]string, count), make([]bool, count)
	for row := range from {
		sentMarks[row], _ = s.at(form.Place{Field: beyond, Row: int32(row)})
		if s.json && sentMarks[row] != "" {
			sentMarks[row] = h.rowMark(form.Text(sentMarks[row]))
		}
	}
	for row := range marks {
		marks[row] = h.markAt(v, group, row)
	}
	// claim gives each row that is still a new one the first saved row with the same word; rows without a word are left alone.
	claim := func(wordOf, savedWordOf func(row int) string) {
		free := map[string][]int{}
		for row := range count {
			if word := savedWordOf(row); word != "" && !taken[row] {
				free[word] = append(free[word], row)
			}
		}
		for row := range from {
			if same := free[wordOf(row)]; from[row] == newRowSent && len(same) > 0 {
				from[row], taken[same[0]] = same[0], true
				free[wordOf(row)] = same[1:]
			}
		}
	}
	none := func(marks []string) func(int) string {
		return func(row int) string {
			if marks[row] == "" {
				return "without a mark"
			}
			return ""
		}
	}
	claim(func(row int) string { return sentMarks[row] }, func(row int) string { return marks[row] })
	claim(func(row int) string { return h.answersOf(group, row, s.at) }, func(row int) string {
		return h.answersOf(group, row, func(place form.Place) (raw string, there bool) {
			f, there := v.session.At(place)
			return f.Raw(), there
		})
	})
	claim(none(sentMarks), none(marks))
	return from, count
}

// answersOf are the answers of a row as one text.
func (h *Handler) answersOf(group form.FieldID, row int, at func(form.Place) (raw string, there bool)) string {
	text := "answers"
	for _, id := range h.form.Members(group) {
		raw, _ := at(form.Place{Field: id, Row: int32(row)})
		text += "\x00" + raw
	}
	return text
}
