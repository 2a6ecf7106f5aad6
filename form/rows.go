package form

import (
	"iter"
	"slices"
	"strconv"
	"strings"
)

// What a form knows of its groups: repeated groups of fields, and lists, whose rows have one.

// RowAt finds the row that a path names: the head of its group, and its position. The item phones/0 of a list is a
// row as well. It reports false for a path that names none.
func (f *Form) RowAt(path string) (row Place, ok bool) {
	p, ok := f.Lookup(path)
	switch group := f.group[p.Field]; {
	case !ok || p.Row < 0:
		return Place{}, false
	case group < 0:
		return p, true
	case f.IsList(group):
		return Place{group, p.Row}, true
	default:
		return Place{}, false
	}
}

// CutRow cuts the path of a field inside rows at the row: crew/*/name is crew and /name, and the items phones/* of a list
// are phones and an empty text. It reports false for a field that is in no rows.
func CutRow(path string) (head, rest string, inRows bool) {
	for at := 0; ; {
		k := strings.Index(path[at:], "/*")
		if k < 0 {
			return path, "", false
		}
		if at += k + 2; at == len(path) || path[at] == '/' {
			return path[:at-2], path[at:], true
		}
	}
}

// PathInRow is the path of a field in the row of a number, or the path itself where the field is in no rows.
func PathInRow(path string, row int) string {
	head, rest, inRows := CutRow(path)
	if !inRows {
		return path
	}
	return head + "/" + strconv.Itoa(row) + rest
}

func rowNumber(s string) (int32, bool) {
	if s == "" || len(s) > 9 || s[0] == '0' && len(s) > 1 {
		return 0, false
	}
	n := int32(0)
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return 0, false
		}
		n = n*10 + int32(s[i]-'0')
	}
	return n, true
}

// Group returns the head of the rows that a field is in, or false.
func (f *Form) Group(id FieldID) (FieldID, bool) { return f.group[id], f.group[id] >= 0 }

// Members lists the declared fields of a repeated group in their order.
func (f *Form) Members(group FieldID) []FieldID {
	fields := f.RowFields(group)
	if _, has := f.BeyondOf(group); has {
		return fields[:len(fields)-1]
	}
	return fields
}

// RowFields lists the fields of a repeated group as they stand in a row: the declared ones, and then one of kind
// KindBeyond where the form has it.
func (f *Form) RowFields(group FieldID) []FieldID { return f.members[f.groupIndex[group]] }

// GroupOf is the head of the repeated group that a field is a member of, or -1.
func (f *Form) GroupOf(id FieldID) FieldID { return f.group[id] }

// Groups goes through the repeated groups in the order of the form: the place of each
// among the groups, and its head.
func (f *Form) Groups() iter.Seq2[int, FieldID] { return slices.All(f.groups) }

// GroupCount is the number of repeated groups.
func (f *Form) GroupCount() int { return len(f.groups) }

// GroupIndex is the place of a group among the groups, by its head.
func (f *Form) GroupIndex(head FieldID) int32 { return f.groupIndex[head] }

// Offset is the place of a field of a group within its row.
func (f *Form) Offset(id FieldID) int32 { return f.offset[id] }

// IsList reports whether the rows of a group are a list of plain values: each has one field, whose path ends with the
// row.
func (f *Form) IsList(group FieldID) bool {
	members := f.RowFields(group)
	return len(members) > 0 && strings.HasSuffix(f.Fields[members[0]].Path, "/*")
}

// IsItem reports whether a field is the one of a list's rows.
func (f *Form) IsItem(id FieldID) bool { return f.group[id] >= 0 && f.IsList(f.group[id]) }

// IsBlank reports whether a field is an item of a list that holds nothing with this value: it is not sent, and does not
// count. An unticked box counts.
func (f *Form) IsBlank(id FieldID, v Value) bool {
	return v.Absent() && f.Fields[id].Kind != KindBoolean && f.IsItem(id)
}

// HeadsList reports whether the field k of a declaration is the head of a list: the items follow it.
func (d *Declaration) HeadsList(k int) bool {
	return k+1 < len(d.Fields) && d.Fields[k+1].Path == d.Fields[k].Path+"/*"
}
