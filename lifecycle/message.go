package lifecycle

import (
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// MessageID names something that is said or shown. The text comes from the
// catalogue, or from the form's own Texts.
type MessageID uint8

// The messages.
const (
	MessageNone MessageID = iota
	MessageBlockedLoading
	MessageBlockedPrefillMissing
	MessageBlockedContested
	MessageBlockedInvalid
	MessageBlockedUnchanged
	MessageBlockedReceived
	MessageAccepted
	MessageAcceptedUnsent
	MessageRefused
	MessageFollowing
	MessageDenied
	MessageOutdated
	MessageUnsettled
	MessageUnsettledWait
	MessageUnsettledRestored
	MessageWaiting
	MessageLoadFailed
	MessageUnsettledPrivate
	MessageRestoredLeftOut
	MessageRestoredPrivate
	MessageRestoredWaiting

	MessageValueMissing
	MessageUnticked
	MessageNoRows
	MessageBadInput
	MessageBadInteger
	MessageTypeMismatch
	MessageNoOption
	MessagePatternMismatch
	MessageTooShort
	MessageTooLong
	MessageRangeUnderflow
	MessageRangeOverflow
	MessageAboveOnly
	MessageBelowOnly
	MessageTooFewRows
	MessageTooManyRows
	MessageStepMismatch
	MessageGreaterThan
	MessageAtLeast
	MessageLessThan
	MessageAtMost
	MessageEqualTo
	MessageIssueUntold
	messageCount
)

// English is the catalogue that is shipped. A text may have two forms, parted
// by " | ": for one, and for any other number. {n} is a number, {label} the
// field's label, {other} the label of the field compared with, {limit} a bound
// with its unit, {wait} a time, {text} the server's own words.
var english = [messageCount]struct{ name, text string }{
	MessageNone:                  {"none", ""},
	MessageBlockedLoading:        {"blocked-loading", "Not sent: the saved answers are still on their way."},
	MessageBlockedPrefillMissing: {"blocked-prefill-missing", "Not sent: the saved answers could not be loaded. Load them again first."},
	MessageBlockedContested:      {"blocked-contested", "Not sent: one answer was changed elsewhere. Choose which one to keep. | Not sent: {n} answers were changed elsewhere. Choose which ones to keep."},
	MessageBlockedInvalid:        {"blocked-invalid", "Not sent: one answer needs your attention. | Not sent: {n} answers need your attention."},
	MessageBlockedUnchanged:      {"blocked-unchanged", "Not sent: nothing has been changed."},
	MessageBlockedReceived:       {"blocked-received", "Not sent: these answers have been received already."},
	MessageAccepted:              {"accepted", "Your answers have been received."},
	MessageAcceptedUnsent:        {"accepted-unsent", "One newer answer has not been sent. | {n} newer answers have not been sent."},
	MessageRefused:               {"refused", "Not accepted: one answer needs your attention. | Not accepted: {n} answers need your attention."},
	MessageFollowing:             {"following", "Your newer answers are being sent."},
	MessageDenied:                {"denied", "Not sent: you are signed out or not allowed to send this. Nothing is lost."},
	MessageOutdated:              {"outdated", "Not accepted: the record has been changed elsewhere. Its newest answers are being loaded."},
	MessageUnsettled:             {"unsettled", "It is not known whether your answers have arrived. Sending them again is safe: they are applied once."},
	MessageUnsettledWait:         {"unsettled-wait", "It is not known whether your answers have arrived. Try again in {wait}: they are applied once."},
	MessageUnsettledRestored:     {"unsettled-restored", "It is not known whether the answers that you sent earlier have arrived. Sending them again is safe: they are applied once."},
	MessageWaiting:               {"waiting", "The office is busy. Your answers are sent again in {wait}."},
	MessageLoadFailed:            {"load-failed", "The saved answers could not be loaded."},
	MessageUnsettledPrivate:      {"unsettled-private", "It is not known whether the answers that you sent earlier have arrived, and some of them are not kept here. Look whether they have before you send them again."},
	MessageRestoredLeftOut:       {"restored-left-out", "One answer that was kept here does not fit the form any more. | {n} answers that were kept here do not fit the form any more."},
	MessageRestoredPrivate:       {"restored-private", "A private answer is not kept here. Enter it again."},
	MessageRestoredWaiting:       {"restored-waiting", "One answer that was kept here comes back when the saved answers are loaded. | {n} answers that were kept here come back when the saved answers are loaded."},

	MessageValueMissing:    {"value-missing", "{label} is missing."},
	MessageUnticked:        {"unticked", "{label}: tick this box to go on."},
	MessageNoRows:          {"no-rows", "{label}: add at least one."},
	MessageBadInput:        {"bad-input", "{label}: this cannot be read."},
	MessageBadInteger:      {"bad-integer", "{label}: enter a whole number."},
	MessageTypeMismatch:    {"type-mismatch", "{label} does not have the expected form."},
	MessageNoOption:        {"no-option", "{label}: choose one of the options."},
	MessagePatternMismatch: {"pattern-mismatch", "{label} does not have the expected form."},
	MessageTooShort:        {"too-short", "{label} needs at least one character. | {label} needs at least {n} characters."},
	MessageTooLong:         {"too-long", "{label} can have at most one character. | {label} can have at most {n} characters."},
	MessageRangeUnderflow:  {"range-underflow", "{label} must be at least {limit}."},
	MessageRangeOverflow:   {"range-overflow", "{label} must be at most {limit}."},
	MessageAboveOnly:       {"above-only", "{label} must be more than {limit}."},
	MessageBelowOnly:       {"below-only", "{label} must be less than {limit}."},
	MessageTooFewRows:      {"too-few-rows", "{label}: at least one is needed. | {label}: at least {n} are needed."},
	MessageTooManyRows:     {"too-many-rows", "{label}: at most one is possible. | {label}: at most {n} are possible."},
	MessageStepMismatch:    {"step-mismatch", "{label} must be a multiple of {limit}."},
	MessageGreaterThan:     {"greater-than", "{label} must be after or above {other}."},
	MessageAtLeast:         {"at-least", "{label} must not be before or below {other}."},
	MessageLessThan:        {"less-than", "{label} must be before or below {other}."},
	MessageAtMost:          {"at-most", "{label} must not be after or above {other}."},
	MessageEqualTo:         {"equal-to", "{label} must be the same as {other}."},
	MessageIssueUntold:     {"issue-untold", "The office did not accept this and gave no reason."},
}

// String is the message's name, as form files use it.
func (m MessageID) String() string {
	if m < messageCount {
		return english[m].name
	}
	return "?"
}

// MessageNamed finds a message by its name.
func MessageNamed(name string) (MessageID, bool) {
	for m := MessageNone + 1; m < messageCount; m++ {
		if english[m].name == name {
			return m, true
		}
	}
	return MessageNone, false
}

// MessageNames lists the names of all messages.
func MessageNames() []string {
	names := make([]string, 0, messageCount-1)
	for m := MessageNone + 1; m < messageCount; m++ {
		names = append(names, english[m].name)
	}
	return names
}

// Message is what is said: one message, and where a step settles one thing and
// starts another, a second. Texts are made from it by Form.Text.
type Message struct {
	ID    MessageID
	Count int32
	Wait  time.Duration
	Words string // the server's own words

	And      MessageID
	AndCount int32
}

// Text writes a message in the form's words.
func (f *Form) Text(m Message) string {
	text := m.Words
	if text == "" || m.ID == MessageRefused { // the server's words, and how many answers
		text = sentences(text, f.fill(m.ID, textArguments{n: m.Count, wait: m.Wait}))
	}
	if m.And != MessageNone {
		text = sentences(text, f.fill(m.And, textArguments{n: m.AndCount}))
	}
	return text
}

// sentences puts one after the other. Titles of servers often end without a full
// stop.
func sentences(first, then string) string {
	if first == "" || then == "" {
		return first + then
	}
	end, _ := utf8.DecodeLastRuneInString(first)
	if !strings.ContainsRune(".!?:;…。！？", end) {
		first += "."
	}
	return first + " " + then
}

type textArguments struct {
	n                   int32
	label, other, limit string
	wait                time.Duration
}

// fill takes a message's text, chooses its plural form and puts the arguments in.
func (f *Form) fill(id MessageID, a textArguments) string {
	text := ""
	if id < messageCount {
		text = english[id].text
	}
	for _, own := range f.Texts {
		if own.Message == id {
			text = own.Text
		}
	}
	return fillText(text, a)
}

func fillText(text string, a textArguments) string {
	one, many, plural := strings.Cut(text, " | ")
	if plural {
		text = many
		if a.n == 1 {
			text = one
		}
	}
	for _, argument := range [...]struct{ name, value string }{
		{"{label}", a.label}, {"{other}", a.other}, {"{limit}", a.limit}, {"{n}", strconv.Itoa(int(a.n))}, {"{wait}", waitText(a.wait)},
	} {
		if strings.Contains(text, argument.name) {
			text = strings.ReplaceAll(text, argument.name, argument.value)
		}
	}
	return text
}

// waitText writes a pause in whole seconds, or minutes from two on.
func waitText(d time.Duration) string {
	seconds := int64((d + time.Second - 1) / time.Second)
	if seconds >= 120 {
		return strconv.FormatInt((seconds+59)/60, 10) + " min"
	}
	return strconv.FormatInt(seconds, 10) + " s"
}
