package form

import (
	"slices"
	"strings"
	"time"
)

// FieldID is a field's place in Declaration.Fields.
type FieldID int32

// FieldKind is the kind of a field's answer.
type FieldKind uint8

// The kinds of fields.
const (
	KindText FieldKind = iota
	KindNumber
	KindInteger
	KindBoolean
	KindDate
	KindTime
	KindDateTime
	KindChoice  // one of Options
	KindChoices // any number of Options
	KindFile
	KindRows // a repeated group; its fields follow it, with * in their paths. Of a list one follows, whose path ends with *
	// KindBeyond is what a saved record has beyond the declared fields. [New] adds such fields where SubmitPolicy.Undeclared
	// asks for them, and nobody declares one.
	KindBeyond
)

var kindWords = [...]string{"text", "number", "integer", "boolean", "date", "time", "date-time", "choice", "choices", "file", "rows", "beyond"}

func (k FieldKind) String() string { return Word(kindWords[:], k) }

// Declaration is a form as plain tables. New makes a Form of it.
type Declaration struct {
	Name  string
	Title string
	Lang  string // BCP 47; decides the decimal sign of typed numbers; empty means en
	// Plurals are the plural categories of Lang.
	Plurals PluralTable

	Fields   []Field  // in the form's order
	Objects  []string // paths of objects that a body always carries, even empty
	Nulls    []string // paths of answers and objects that a body carries as null where there is nothing
	Defaults []Answer // what the form opens with
	Buttons  []string // the submit buttons; the first is Enter's

	Prefill  PrefillPolicy
	Submit   SubmitPolicy
	Show     ShowPolicy
	Accepted AcceptedPolicy
	Leave    LeavePolicy

	ServerNames []ServerName // the server's own names for fields
	// InBody are JSON Pointers: where something stands at one of them, an accepted reply is a
	// refusal. InBodyNone says that there is no such place, so that a body which says no at its
	// top is an acceptance as well.
	InBody     []string
	InBodyNone bool
	// SignInPaths are paths: a reply that comes from one of them, after a redirect, means that
	// nobody is signed in.
	SignInPaths []string
	// Origins are further origins, such as https://pay.example, to which a reply may lead.
	Origins []string
	Texts   []MessageText

	// Given are names that whoever opens the form gives values for: {id} in a url stands
	// for the value of id.
	Given []string
}

// Field is one declared answer, or the head of a repeated group.
type Field struct {
	Path string // JSON Pointer without the leading slash; * stands for any row
	Kind FieldKind
	Of   FieldKind // of a choice and of choices: the kind of the options

	Label, Unit, Help, Placeholder, Autocomplete string
	Lines                                        int // of a text's control; 0 means one, or more where it can be long

	Private     bool // the value appears in no trace, draft or log
	Required    bool // a body carries it even when it is absent (an unticked box as false)
	Options     []Option
	Constraints []Constraint
	Asked       []Condition // one of them must hold; empty means that the field is always asked
	Check       CheckPolicy
	Says        []CodeText
	Samples     []string // values for the verifier, as typed
}

// Needed reports whether the field always has to be answered or ticked.
func (f *Field) Needed() bool {
	return slices.ContainsFunc(f.Constraints, func(c Constraint) bool {
		return (c.Op == OpRequired || c.Op == OpTicked) && len(c.When) == 0
	})
}

// Readable writes a value of the field for a person. An option is written as its label, and an absent
// value as an empty text.
func (f *Field) Readable(v Value) string {
	var words []string
	for _, o := range f.Options {
		if text := o.Value.String(); o.Value == v || v.Kind == ValueChoices && slices.Contains(v.Options(), text) {
			if o.Label != "" {
				text = o.Label
			}
			words = append(words, text)
		}
	}
	if words == nil {
		return v.String()
	}
	return strings.Join(words, ", ")
}

// LeftBy reports whether the field counts as left as soon as it has this value. A choice is never
// half made. A date that is typed is half made until it can be read.
func (f *Field) LeftBy(v Value) bool {
	switch f.Kind {
	case KindBoolean, KindChoice, KindChoices, KindFile:
		return true
	default:
		return !f.Private && (v.Kind == ValueDate || v.Kind == ValueTime || v.Kind == ValueDateTime)
	}
}

// Option is one of the values of a choice.
type Option struct {
	Value Value
	Label string
}

// CodeText is the text of an issue with this code at one field.
type CodeText struct {
	Code    Code
	Wording Wording
}

// MessageText overrides what is said for one message.
type MessageText struct {
	Message MessageID
	Wording Wording
}

// ServerName is the server's own name for a field.
type ServerName struct{ Name, Path string }

// CheckPolicy is a check over the network. The zero value is none.
type CheckPolicy struct {
	URL     string
	Delay   time.Duration
	Timeout time.Duration
}

// PrefillPolicy says where saved answers come from. The zero value is from nowhere.
type PrefillPolicy struct {
	URL     string
	Own     bool // the application brings them, and there is no URL
	Needed  bool // nothing is sent before the saved answers have arrived
	Timeout time.Duration
	Lock    bool // fields are locked until the first arrival
	Ask     bool // an answer that meets an edit contests the field; else the edit is kept
}

// Loads reports whether there are saved answers to load.
func (p PrefillPolicy) Loads() bool { return p.URL != "" || p.Own }

// SubmitPolicy is where the form is sent, and how.
type SubmitPolicy struct {
	URL           string
	Method        string // POST creates; PUT and PATCH replace
	Timeout       time.Duration
	Edit          bool // fields can be edited while sending; else they are locked
	ResendTimes   int
	ResendWait    time.Duration
	ResendLongest time.Duration
	HoldUnchanged bool
	Undeclared    bool // what a load brought beyond the form goes back with PUT, and in the rows of a PATCH; JSON only
	AsForm        bool // the body is application/x-www-form-urlencoded, as a browser would send it; else JSON
}

// Creates reports whether an accepted submission is a new record each time.
func (p SubmitPolicy) Creates() bool { return p.Method != "PUT" && p.Method != "PATCH" }

// ShowPolicy is when an issue is first shown.
type ShowPolicy uint8

// When an issue is first shown.
const (
	ShowBlur ShowPolicy = iota
	ShowInput
	ShowSubmit
)

// Then is what happens to the form after an acceptance.
type Then uint8

// What happens after an acceptance.
const (
	ThenKeep Then = iota
	ThenClear
	ThenAdopt
	ThenNavigate
)

// HasNone is the AcceptedPolicy.Has of a server whose acceptances have no body.
const HasNone = "none"

// AcceptedPolicy is what is an acceptance, and what follows one.
type AcceptedPolicy struct {
	Then Then
	To   string // with ThenNavigate; the driver fills {…} in
	// At is a path: a reply that comes from it, after a redirect, is an acceptance, and its
	// address is where the receipt is. {…} is any one segment.
	At string
	// Has is a JSON Pointer: without anything there a 2xx reply is no acceptance. [HasNone] says
	// that the body of an acceptance may be empty, whatever its type.
	Has   string
	Lasts time.Duration // how long the success state stands; 0 means until the next edit
}

// LeaveWhen is which work leaving asks about.
type LeaveWhen uint8

// Which work leaving asks about.
const (
	LeaveDirty LeaveWhen = iota
	LeaveDirtyAndTouched
	LeaveNever
)

// LeavePolicy is when leaving asks.
type LeavePolicy struct {
	When          LeaveWhen
	AllowInFlight bool // an attempt in flight or unsettled does not ask
}

// ConstraintOp is the kind of a constraint.
type ConstraintOp uint8

// The constraints. Those of the first group have JSON Schema's meaning
// (2020-12, validation vocabulary) on a present value.
const (
	OpRequired  ConstraintOp = iota // present; When narrows it
	OpMinLength                     // Value: code points
	OpMaxLength
	OpPattern // Text: unanchored
	OpFormat  // Text: email or uri
	OpMinimum // Value: a number, date or time
	OpMaximum
	OpExclusiveMinimum
	OpExclusiveMaximum
	OpMultipleOf
	OpEnum     // one of the field's options
	OpMinItems // Value: rows or chosen options
	OpMaxItems
	OpTicked // const: true
	OpEqual  // const: Value

	OpGreaterThan // Other: the field it is compared with
	OpAtLeast
	OpLessThan
	OpAtMost
	OpEqualTo

	OpUniqueItems // no two items of a list are equal
)

var opWords = [...]string{
	"required", "minLength", "maxLength", "pattern", "format", "minimum", "maximum",
	"exclusiveMinimum", "exclusiveMaximum", "multipleOf", "enum", "minItems", "maxItems", "ticked", "const",
	"greaterThan", "atLeast", "lessThan", "atMost", "equalTo", "uniqueItems",
}

func (op ConstraintOp) String() string { return Word(opWords[:], op) }

// Compares reports whether the constraint compares two fields.
func (op ConstraintOp) Compares() bool { return op >= OpGreaterThan && op <= OpEqualTo }

// Constraint is one rule of a field.
type Constraint struct {
	Op    ConstraintOp
	Value Value
	Text  string
	Other FieldID
	When  []Condition // with OpRequired one of them must hold; empty means always
	// Or are further patterns and formats, beside an OpPattern or OpFormat: a text that keeps one of all these keeps the constraint.
	Or  []Alternative
	Say Wording // empty means the catalogue's
}

// Alternative is a pattern or a format: see [Constraint].
type Alternative struct {
	Op   ConstraintOp // OpPattern or OpFormat
	Text string
}

// Condition holds when every clause holds.
type Condition []Clause

// Clause holds when any literal holds.
type Clause []Literal

// Literal says something of one field. A field inside rows means the same row.
type Literal struct {
	Field    FieldID
	Values   []Value // the answer is one of these; with Present unused
	Present  bool    // the answer is present
	OrAbsent bool    // an absent answer satisfies it too
	Negate   bool
}

// Answer is one field's value in a body: sent, loaded or returned. The head of
// a repeated group stands in a body with its number of rows as a ValueNumber.
type Answer struct {
	Place
	Value   Value
	Changed bool // sent: differs from the baseline
}
