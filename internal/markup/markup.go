// Package markup has the names that pages, server and browser share: those of
// controls, their ids, and the attributes by which one finds what the other
// wrote.
//
//	<input name="vessel/name" id="leanwicket-vessel-name" aria-describedby="leanwicket-vessel-name-issues">
package markup

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"leanwicket.dev/form"
)

// The names of controls that are no fields. A field's control is named by its
// path.
const (
	Key       = "leanwicket-key"       // hidden: the submission key
	Version   = "leanwicket-version"   // hidden: the version that the values are based on
	Account   = "leanwicket-account"   // hidden: whose work the page is, as a digest
	Button    = "leanwicket-button"    // of the submit buttons; the value says which
	Add       = "leanwicket-add"       // a button: adds a row to the group that is its value
	Remove    = "leanwicket-remove"    // a button: removes the row that is its value
	Mine      = "leanwicket-mine"      // a button: of a contested answer the applicant's own stays
	Theirs    = "leanwicket-theirs"    // a button: of a contested answer the saved one is taken
	Contested = "leanwicket-contested" // hidden: the path of an answer that is contested, one control each
	Row       = "leanwicket-row"       // hidden: the path of a row, and a digest of what its record has beyond the form, one control each
	Move      = "leanwicket-move"      // a button: moves a row to another's place, or without one up (MoveOf)
)

// Compiled is the query with which a page gives its form as the script reads it.
const Compiled = "leanwicket-form"

// Received is the query that names the submission which a page was redirected from.
const Received = "leanwicket-received"

// AccountHeader tells a backend whose work a submission in JSON is, as a digest.
const AccountHeader = "Leanwicket-Account"

// ButtonHeader tells a backend which button a submission in JSON was sent with.
const ButtonHeader = "Leanwicket-Button"

// Name is the attribute that names the form.
const Name = "data-leanwicket"

// IDs are the ids of a form's parts on a page: what each of them begins with.
type IDs string

// Page are the ids of a form that has the page for itself.
const Page IDs = "leanwicket-"

// Beside are the ids of a form on the page of another one.
func Beside(form string) IDs { return Page + IDs(form) + "-" }

// Form is the id of the form itself.
func (ids IDs) Form() string { return string(ids) + "form" }

// Summary is the id of the list of what is to mend.
func (ids IDs) Summary() string { return string(ids) + "summary" }

// Notice is the id of what the form says.
func (ids IDs) Notice() string { return string(ids) + "notice" }

// Control is the id of a field's control.
func (ids IDs) Control(path string) string { return string(ids) + strings.ReplaceAll(path, "/", "-") }

// Issues and Help are the ids of what describes a control.
func (ids IDs) Issues(path string) string { return ids.Control(path) + "-issues" }
func (ids IDs) Help(path string) string   { return ids.Control(path) + "-help" }

// Option is the id of one of several controls with one name, counted from 0.
func (ids IDs) Option(path string, k int) string {
	return ids.Control(path) + "-option-" + string(rune('a'+k%26)) + strings.Repeat("z", k/26)
}

// Own reports whether a control's name is one of these, and no field's.
func Own(name string) bool { return strings.HasPrefix(name, "leanwicket-") }

// MoveOf reads the value of a button that moves a row: crew/2 crew/0, or crew/2 alone,
// which goes one up.
func MoveOf(value string) (row, to string) {
	row, to, said := strings.Cut(value, " ")
	end := strings.LastIndexByte(row, '/') + 1
	if n, err := strconv.Atoi(row[end:]); err == nil && !said {
		to = row[:end] + strconv.Itoa(n-1)
	}
	return row, to
}

// InputMode is the keyboard that a phone shows for a kind of field.
func InputMode(kind form.FieldKind) string {
	switch kind {
	case form.KindNumber:
		return "decimal"
	case form.KindInteger:
		return "numeric"
	default:
		return ""
	}
}

// UnreadablePath is said of an address whose path cannot be read.
const UnreadablePath = "This address cannot be read."

// Readable reports whether a decoded path is a text that a page or a log can show.
func Readable(path string) bool {
	return utf8.ValidString(path) && !strings.ContainsRune(path, 0)
}
