package form

import (
	"strconv"
	"strings"
)

// What a server says, in a page or to a program, and the names of all messages. Nothing of this is in
// the core that a page loads.

var served = [messageCount - firstOfServer]entry{
	MessageOptional - firstOfServer:        {"optional", Wording{Other: "(optional)"}},
	MessageAddTo - firstOfServer:           {"add-to", Wording{Other: "Add to {label}"}},
	MessageMoveUp - firstOfServer:          {"move-up", Wording{Other: "Move up"}},
	MessageRemove - firstOfServer:          {"remove", Wording{Other: "Remove"}},
	MessageRows - firstOfServer:            {"rows", Wording{One: "{count} row", Other: "{count} rows"}},
	MessageOnlyIf - firstOfServer:          {"only-if", Wording{Other: "Only if {conditions}."}},
	MessageOnlyIfOr - firstOfServer:        {"only-if-or", Wording{Other: ", or "}},
	MessageWordOr - firstOfServer:          {"word-or", Wording{Other: " or "}},
	MessageWordAnd - firstOfServer:         {"word-and", Wording{Other: " and "}},
	MessageIsTicked - firstOfServer:        {"is-ticked", Wording{Other: "“{label}” is ticked"}},
	MessageIsNotTicked - firstOfServer:     {"is-not-ticked", Wording{Other: "“{label}” is not ticked"}},
	MessageIsAnswered - firstOfServer:      {"is-answered", Wording{Other: "“{label}” is answered"}},
	MessageIsNotAnswered - firstOfServer:   {"is-not-answered", Wording{Other: "“{label}” is not answered"}},
	MessageIsValue - firstOfServer:         {"is-value", Wording{Other: "“{label}” is {values}"}},
	MessageIsNotValue - firstOfServer:      {"is-not-value", Wording{Other: "“{label}” is not {values}"}},
	MessageIsValueOrNot - firstOfServer:    {"is-value-or-unanswered", Wording{Other: "“{label}” is not answered, or is {values}"}},
	MessageIsNotValueOrNot - firstOfServer: {"is-answered-otherwise", Wording{Other: "“{label}” is answered, and is not {values}"}},
	MessageOutdatedSame - firstOfServer:    {"outdated-same", Wording{Other: "The record was changed elsewhere meanwhile, and nothing of yours differs from it. Look at it, and send it again if it is to be saved."}},
	MessageUnknownMember - firstOfServer:   {"unknown-member", Wording{Other: "This form has no {member}: nothing of it would be stored."}},
	MessageWrongType - firstOfServer:       {"wrong-type", Wording{Other: "This is {found}, and has to be {right}."}},
	MessageNeedsVersion - firstOfServer:    {"needs-version", Wording{Other: "This replaces a saved record, and says not over which version: nothing was stored. Send If-Match with the ETag of the record that it was read from."}},
	MessageOtherSite - firstOfServer:       {"other-site", Wording{Other: "This was not sent from this site's own page. Nothing was stored; send it from here."}},
	MessageSomethingWrong - firstOfServer:  {"something-wrong", Wording{Other: "Something went wrong here. Nothing was stored; try again."}},
	MessageWrongMethod - firstOfServer:     {"wrong-method", Wording{Other: "This form is read with GET and sent with POST."}},
	MessageNoRecord - firstOfServer:        {"no-record", Wording{Other: "This form has no saved record."}},
	MessageNoSuchRecord - firstOfServer:    {"no-such-record", Wording{Other: "There is no such record."}},
	MessageNothingStored - firstOfServer:   {"nothing-stored", Wording{Other: "There is no such record. Nothing was stored."}},
	MessageRecordFailed - firstOfServer:    {"record-failed", Wording{Other: "The saved record could not be loaded."}},
	MessageTooLarge - firstOfServer:        {"too-large", Wording{Other: "This is too large to be received: at most {limit}. Nothing was stored."}},
	MessageTooMany - firstOfServer:         {"too-many", Wording{Other: "These are more answers than can be received. Nothing was stored."}},
	MessageUnreadable - firstOfServer:      {"unreadable", Wording{Other: "This could not be read, and nothing was stored: {why}."}},
	MessageOtherAccount - firstOfServer:    {"other-account", Wording{Other: "Somebody else has signed in here since this page was opened. Nothing was stored: sign in as before, or open the form again."}},
	MessageBadVersion - firstOfServer:      {"bad-version", Wording{Other: "If-Match has {found}, which is no entity tag: right would be the ETag of the record, in its quotes. Nothing was stored."}},
	MessageBadKey - firstOfServer:          {"bad-key", Wording{Other: "The submission key has to be one to 255 visible ASCII characters. Nothing was stored."}},
	MessageCrowded - firstOfServer:         {"crowded", Wording{Other: "Too many submissions are being worked on. Try again in a moment."}},
	MessageNoKey - firstOfServer:           {"no-key", Wording{Other: "The submission has no Idempotency-Key, so that a repeat would be stored twice. Nothing was stored: send a random one, the same for each repeat."}},
	MessageNoKeyOnPage - firstOfServer:     {"no-key-on-page", Wording{Other: "The page had no submission key, so that a second click would be stored twice. Nothing was stored. The page has a key now: send it again."}},
	MessageKeptOut - firstOfServer:         {"kept-out", Wording{Other: "You are signed out, or not allowed to open this."}},
	MessageOpenForm - firstOfServer:        {"open-form", Wording{Other: "Open the form"}},
	MessageNotTaken - firstOfServer:        {"not-taken", Wording{Other: "This could not be taken, and nothing was stored."}},
	MessageInFlight - firstOfServer:        {"in-flight", Wording{Other: "This submission is still being worked on. Try again in a moment: it is applied once."}},
	MessageDifferent - firstOfServer:       {"different", Wording{Other: "This page was sent before with other answers, and those have been received. Send again if these are to be sent as well."}},
	MessageBusy - firstOfServer:            {"busy", Wording{Other: "There is too much to do here at the moment. Nothing was stored; try again in a moment."}},
	MessageLost - firstOfServer:            {"lost", Wording{Other: "It is not known whether your answers have been stored. Try again: they are applied once."}},
}

// entryOf is a message of the catalogue; nil means that there is none.
func entryOf(m MessageID) *entry {
	switch {
	case m < firstOfServer:
		return &english[m]
	case m < messageCount:
		return &served[m-firstOfServer]
	default:
		return nil
	}
}

// String is the message's name, as form files use it.
func (m MessageID) String() string {
	if e := entryOf(m); e != nil {
		return e.name
	}
	return "?"
}

// English is the text that the catalogue has.
func (m MessageID) English() Wording {
	if e := entryOf(m); e != nil {
		return e.wording
	}
	return Wording{}
}

// MessageNamed finds a message by its name.
func MessageNamed(name string) (MessageID, bool) {
	for m := MessageNone + 1; m < messageCount; m++ {
		if entryOf(m).name == name {
			return m, true
		}
	}
	return MessageNone, false
}

// MessageNames lists the names of all messages.
func MessageNames() []string {
	names := make([]string, 0, messageCount-1)
	for m := MessageNone + 1; m < messageCount; m++ {
		names = append(names, entryOf(m).name)
	}
	return names
}

// Words writes any message with arguments, which are pairs of a name and what stands for it:
// "limit", "64 KiB" for {limit}.
func (f *Form) Words(id MessageID, arguments ...string) string {
	return f.CountedWords(id, -1, arguments...)
}

// CountedWords is Words for a message in which a number counts: it stands for {count}.
func (f *Form) CountedWords(id MessageID, count int, arguments ...string) string {
	e := entryOf(id)
	if e == nil {
		return ""
	}
	text := e.wording.of(englishPlural(int32(count)))
	if own := f.ownWording(id); own != nil {
		text = own.of(f.Plurals.Of(int32(count)))
	}
	text = strings.ReplaceAll(text, "{count}", strconv.Itoa(count))
	for k := 0; k+1 < len(arguments); k += 2 {
		text = strings.ReplaceAll(text, "{"+arguments[k]+"}", arguments[k+1])
	}
	return text
}
