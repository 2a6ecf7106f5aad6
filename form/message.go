package form

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
	MessageLoading
	MessageChecking
	MessageSending
	MessageRowAdded
	MessageRowRemoved
	MessageRowMoved

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

	MessageLoadDenied
	MessageSignedOut
	MessageUnsettledLater
	MessageWaitingLater
	MessageNotUnique

	// What pages say beside that. A script has these words from the core.
	MessageYours
	MessageSavedMeanwhile
	MessageKeepMine
	MessageTakeTheirs
	MessageNothing
	MessageDraftBack
	MessageDraftOffered
	MessageDraftAgain
	MessageDraftDiscard
	MessageOfferDiscard
	MessageOfferTake
	MessageUnkept
	MessageNewest
	MessageNewestContested
	MessageTitleWrong
	MessageTitleSending
	MessageTitleReceived
	MessageCalendar
	MessageCalendarFor
	MessageLeaveUnsaved
	MessageLeaveSending
	MessageLeaveUnsettled
	MessageLeaveStay
	MessageLeaveSubmit
	MessageLeaveDiscard
	MessageSignIn
	MessageTryAgain

	// What only a server says, in a page or to a program: see served.go.
	MessageOptional
	MessageAddTo
	MessageMoveUp
	MessageRemove
	MessageRows
	MessageOnlyIf
	MessageOnlyIfOr
	MessageWordOr
	MessageWordAnd
	MessageIsTicked
	MessageIsNotTicked
	MessageIsAnswered
	MessageIsNotAnswered
	MessageIsValue
	MessageIsNotValue
	MessageIsValueOrNot
	MessageIsNotValueOrNot
	MessageOutdatedSame
	MessageUnknownMember
	MessageWrongType
	MessageNeedsVersion
	MessageOtherSite
	MessageSomethingWrong
	MessageWrongMethod
	MessageNoRecord
	MessageNoSuchRecord
	MessageNothingStored
	MessageRecordFailed
	MessageTooLarge
	MessageTooMany
	MessageUnreadable
	MessageOtherAccount
	MessageBadVersion
	MessageBadKey
	MessageCrowded
	MessageNoKey
	MessageNoKeyOnPage
	MessageKeptOut
	MessageOpenForm
	MessageNotTaken
	MessageInFlight
	MessageDifferent
	MessageBusy
	MessageLost
	messageCount

	firstOfPages  = MessageYours
	firstOfServer = MessageOptional
)

// The catalogue that is shipped is English, and has everything that is said to an applicant: here what
// a core and its script say, and in served.go what a server says. {count} is a number, {label} the
// field's label, {other} the label of the field compared with, {limit} a bound
// with its unit, {wait} a time.
var english = [firstOfServer]entry{
	MessageNone:                  {"none", Wording{}},
	MessageBlockedLoading:        {"blocked-loading", Wording{Other: "Not sent: the saved answers are still on their way."}},
	MessageBlockedPrefillMissing: {"blocked-prefill-missing", Wording{Other: "Not sent: the saved answers are missing. Load them again first."}},
	MessageBlockedContested:      {"blocked-contested", Wording{One: "Not sent: one answer was changed elsewhere. Choose which one to keep.", Other: "Not sent: {count} answers were changed elsewhere. Choose which ones to keep."}},
	MessageBlockedInvalid:        {"blocked-invalid", Wording{One: "Not sent: one answer needs your attention.", Other: "Not sent: {count} answers need your attention."}},
	MessageBlockedUnchanged:      {"blocked-unchanged", Wording{Other: "Not sent: nothing has been changed."}},
	MessageBlockedReceived:       {"blocked-received", Wording{Other: "Not sent: these answers have been received already."}},
	MessageAccepted:              {"accepted", Wording{Other: "Your answers have been received."}},
	MessageAcceptedUnsent:        {"accepted-unsent", Wording{One: "One newer answer has not been sent.", Other: "{count} newer answers have not been sent."}},
	MessageRefused:               {"refused", Wording{One: "Not accepted: one answer needs your attention.", Other: "Not accepted: {count} answers need your attention."}},
	MessageFollowing:             {"following", Wording{Other: "Your newer answers are being sent."}},
	MessageDenied:                {"denied", Wording{Other: "Not sent: you are signed out or not allowed to send this. Nothing is lost."}},
	MessageOutdated:              {"outdated", Wording{Other: "Not accepted: the record has been changed elsewhere. Its newest answers are being loaded."}},
	MessageUnsettled:             {"unsettled", Wording{Other: "It is not known whether your answers have arrived. Sending them again is safe: they are applied once."}},
	MessageUnsettledWait:         {"unsettled-wait", Wording{Other: "It is not known whether your answers have arrived. Try again in {wait}: they are applied once."}},
	MessageUnsettledRestored:     {"unsettled-restored", Wording{Other: "It is not known whether the answers that you sent earlier have arrived. Sending them again is safe: they are applied once."}},
	MessageWaiting:               {"waiting", Wording{Other: "The office is busy. Your answers are sent again in {wait}."}},
	MessageLoadFailed:            {"load-failed", Wording{Other: "The saved answers could not be loaded."}},
	MessageUnsettledPrivate:      {"unsettled-private", Wording{Other: "It is not known whether the answers that you sent earlier have arrived, and some of them are not kept here. Look whether they have before you send them again."}},
	MessageRestoredLeftOut:       {"restored-left-out", Wording{One: "One answer that was kept here does not fit the form any more.", Other: "{count} answers that were kept here do not fit the form any more."}},
	MessageRestoredPrivate:       {"restored-private", Wording{Other: "A private answer is not kept here. Enter it again."}},
	MessageRestoredWaiting:       {"restored-waiting", Wording{One: "One answer that was kept here comes back when the saved answers are loaded.", Other: "{count} answers that were kept here come back when the saved answers are loaded."}},

	MessageLoading:    {"loading", Wording{Other: "The saved answers are being loaded."}},
	MessageChecking:   {"checking", Wording{Other: "Your answers are being checked."}},
	MessageSending:    {"sending", Wording{Other: "Your answers are being sent."}},
	MessageRowAdded:   {"row-added", Wording{Other: "{label}: a row has been added."}},
	MessageRowRemoved: {"row-removed", Wording{Other: "{label}: row {count} has been removed."}},
	MessageRowMoved:   {"row-moved", Wording{Other: "{label}: the row is number {count} now."}},

	MessageValueMissing:    {"value-missing", Wording{Other: "{label} is missing."}},
	MessageUnticked:        {"unticked", Wording{Other: "{label}: tick this box to go on."}},
	MessageNoRows:          {"no-rows", Wording{Other: "{label}: add at least one."}},
	MessageBadInput:        {"bad-input", Wording{Other: "{label}: this cannot be read."}},
	MessageBadInteger:      {"bad-integer", Wording{Other: "{label}: enter a whole number."}},
	MessageTypeMismatch:    {"type-mismatch", Wording{Other: "{label} does not have the expected form."}},
	MessageNoOption:        {"no-option", Wording{Other: "{label}: choose one of the options."}},
	MessagePatternMismatch: {"pattern-mismatch", Wording{Other: "{label} does not have the expected form."}},
	MessageTooShort:        {"too-short", Wording{One: "{label} needs at least one character.", Other: "{label} needs at least {count} characters."}},
	MessageTooLong:         {"too-long", Wording{One: "{label} can have at most one character.", Other: "{label} can have at most {count} characters."}},
	MessageRangeUnderflow:  {"range-underflow", Wording{Other: "{label} must be at least {limit}."}},
	MessageRangeOverflow:   {"range-overflow", Wording{Other: "{label} must be at most {limit}."}},
	MessageAboveOnly:       {"above-only", Wording{Other: "{label} must be more than {limit}."}},
	MessageBelowOnly:       {"below-only", Wording{Other: "{label} must be less than {limit}."}},
	MessageTooFewRows:      {"too-few-rows", Wording{One: "{label}: at least one is needed.", Other: "{label}: at least {count} are needed."}},
	MessageTooManyRows:     {"too-many-rows", Wording{One: "{label}: at most one is possible.", Other: "{label}: at most {count} are possible."}},
	MessageStepMismatch:    {"step-mismatch", Wording{Other: "{label} must be a multiple of {limit}."}},
	MessageGreaterThan:     {"greater-than", Wording{Other: "{label} must be after or above {other}."}},
	MessageAtLeast:         {"at-least", Wording{Other: "{label} must not be before or below {other}."}},
	MessageLessThan:        {"less-than", Wording{Other: "{label} must be before or below {other}."}},
	MessageAtMost:          {"at-most", Wording{Other: "{label} must not be after or above {other}."}},
	MessageEqualTo:         {"equal-to", Wording{Other: "{label} must be the same as {other}."}},
	MessageIssueUntold:     {"issue-untold", Wording{Other: "The office did not accept this and gave no reason."}},

	MessageLoadDenied:     {"load-denied", Wording{Other: "You are signed out, or not allowed to see the saved answers."}},
	MessageSignedOut:      {"signed-out", Wording{Other: "You seem to be signed out."}},
	MessageUnsettledLater: {"unsettled-later", Wording{Other: "It is not known whether your answers have arrived. Try again later: they are applied once."}},
	MessageWaitingLater:   {"waiting-later", Wording{Other: "The office is busy. Your answers are sent again later."}},
	MessageNotUnique:      {"not-unique", Wording{Other: "{label}: the same stands there twice."}},

	MessageYours:           {"yours", Wording{Other: "Yours"}},
	MessageSavedMeanwhile:  {"saved-meanwhile", Wording{Other: "Saved meanwhile"}},
	MessageKeepMine:        {"keep-mine", Wording{Other: "Keep mine"}},
	MessageTakeTheirs:      {"take-theirs", Wording{Other: "Take that one"}},
	MessageNothing:         {"nothing", Wording{Other: "(nothing)"}},
	MessageDraftBack:       {"draft-back", Wording{Other: "What you had typed is back, from {time}."}},
	MessageDraftOffered:    {"draft-offered", Wording{Other: "A tab that was closed has answers of {time} that were not sent."}},
	MessageDraftAgain:      {"draft-again", Wording{Other: "Not kept, to be typed again: {fields}."}},
	MessageDraftDiscard:    {"draft-discard", Wording{Other: "Discard it"}},
	MessageOfferDiscard:    {"offer-discard", Wording{Other: "Discard them"}},
	MessageOfferTake:       {"offer-take", Wording{Other: "Go on with them"}},
	MessageUnkept:          {"unkept", Wording{Other: "This browser keeps nothing of what you type: its store is full, or closed to this site."}},
	MessageNewest:          {"newest", Wording{Other: "The newest answers are here. Send yours again."}},
	MessageNewestContested: {"newest-contested", Wording{One: "The newest answers are here. One of yours differs: choose which one to keep. Then send yours again.", Other: "The newest answers are here. {count} of yours differ: choose which ones to keep. Then send yours again."}},
	MessageTitleWrong:      {"title-wrong", Wording{Other: "{count} to mend – "}},
	MessageTitleSending:    {"title-sending", Wording{Other: "Sending – "}},
	MessageTitleReceived:   {"title-received", Wording{Other: "Received – "}},
	MessageCalendar:        {"calendar", Wording{Other: "Calendar"}},
	MessageCalendarFor:     {"calendar-for", Wording{Other: "Calendar for {label}"}},
	MessageLeaveUnsaved:    {"leave-unsaved", Wording{Other: "What you have typed is not sent yet."}},
	MessageLeaveSending:    {"leave-sending", Wording{Other: "Your answers are still being sent."}},
	MessageLeaveUnsettled:  {"leave-unsettled", Wording{Other: "It is not known whether your answers have arrived."}},
	MessageLeaveStay:       {"leave-stay", Wording{Other: "Stay"}},
	MessageLeaveSubmit:     {"leave-submit", Wording{Other: "Send and leave"}},
	MessageLeaveDiscard:    {"leave-discard", Wording{Other: "Leave without it"}},
	MessageSignIn:          {"sign-in", Wording{Other: "Sign in, in another tab"}},
	MessageTryAgain:        {"try-again", Wording{Other: "Try again"}},
}

// entry is a message of the catalogue: its name, and its text.
type entry struct {
	name    string
	wording Wording
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

// UnsettledUntil says that an attempt is unsettled, and in how long it should be tried again.
// A pause of more than an hour is "later": nobody counts minutes by the thousand.
func UnsettledUntil(wait time.Duration) Message {
	if wait > time.Hour {
		return Message{ID: MessageUnsettledLater}
	}
	return Message{ID: MessageUnsettledWait, Wait: wait}
}

// Waiting says that an attempt is sent again after a pause.
func Waiting(wait time.Duration) Message {
	if wait > time.Hour {
		return Message{ID: MessageWaitingLater}
	}
	return Message{ID: MessageWaiting, Wait: wait}
}

// Text writes a message in the form's words.
func (f *Form) Text(m Message) string {
	text := m.Words // what the server says stands for what the form would say
	if text == "" {
		text = f.fill(m.ID, textArguments{count: m.Count, wait: m.Wait})
	}
	if m.And != MessageNone {
		text = sentences(text, f.fill(m.And, textArguments{count: m.AndCount}))
	}
	return text
}

// TextAbout writes a message about a field, with a count.
func (f *Form) TextAbout(id MessageID, field FieldID, count int32) string {
	return f.fill(id, textArguments{label: f.Fields[field].Label, count: count})
}

// sentences joins two sentences. It adds a full stop to the first, because titles of servers often
// lack one.
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
	count               int32
	label, other, limit string
	wait                time.Duration
}

// fill takes a message's text, chooses its plural form and puts the arguments in.
func (f *Form) fill(id MessageID, a textArguments) string {
	if own := f.ownWording(id); own != nil {
		return f.fillOwn(*own, a)
	}
	if int(id) >= len(english) {
		return ""
	}
	return fillText(english[id].wording.of(englishPlural(a.count)), a)
}

// ownWording is the wording of a message in the form file, or nil.
func (f *Form) ownWording(id MessageID) *Wording {
	for k := range f.Texts {
		if f.Texts[k].Message == id {
			return &f.Texts[k].Wording
		}
	}
	return nil
}

// PageWord is a word that a page needs, by its name. One is said where a number counts one; it is
// empty where that makes no difference.
type PageWord struct{ Name, One, Other string }

// PageWords are the words of a page beside what is said of a session, in the form's words: {time},
// {fields}, {label} and {count} are for the page to fill in.
func (f *Form) PageWords() []PageWord {
	words := make([]PageWord, 0, firstOfServer-firstOfPages)
	for id := firstOfPages; id < firstOfServer; id++ {
		wording := english[id].wording
		if own := f.ownWording(id); own != nil {
			wording = *own
		}
		words = append(words, PageWord{english[id].name, wording.One, wording.Other})
	}
	return words
}

// fillOwn fills a text in the form's own language.
func (f *Form) fillOwn(w Wording, a textArguments) string {
	return fillText(w.of(f.Plurals.Of(a.count)), a)
}

func fillText(text string, a textArguments) string {
	for _, argument := range [...]struct{ name, value string }{
		{"{label}", a.label}, {"{other}", a.other}, {"{limit}", a.limit}, {"{count}", strconv.Itoa(int(a.count))}, {"{wait}", waitText(a.wait)},
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
