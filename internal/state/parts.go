package state

// Number names a part of a session's state that is a number, an enumeration or a fact.
type Number uint8

// The numbers. What a part means stands at the field of the session that it is.
const (
	Prefill Number = iota
	LoadRequest
	LoadArrived
	LoadNeeds
	DeferredPresent
	DeferredAsk
	DeferredSupplied
	Revealed
	Activity
	Pressed
	Follow
	Ignored
	AttemptNumber
	AttemptButton
	AttemptOutcome
	AttemptUnsure
	AttemptRepeats
	AttemptWaited
	AttemptAdopted
	NewestOutcome
	Received
	ReceivedCleared
	ClearNext
	ThenDue
	Leave
	LeaveKind
	Asked
	Guard
	Notice
	NoticeCount
	NoticeWait
	NoticeAnd
	NoticeAndCount
	NoticeLevel
	NoticeTimes
	FocusField
	FocusRow
	Changes
	NextRequest
	NextTimer
	Applied
	Timers                          // the first of the session's own timers
	afterTimers = Timers + timerMax // nothing stands between
	Tallies     = afterTimers
	numberCount = Tallies + Number(ClassCount)
)

// timerMax bounds the kinds of timers.
const timerMax = 8

// Text names a part that is a text.
type Text uint8

// The texts.
const (
	Version Text = iota
	AttemptVersion
	DeferredVersion
	LeaveTo
	NoticeWords
	ReceiptTo
	ReceiptVersion
	ReceiptText
	textCount
)

// isVersion reports whether a text is a version of the record: no private value is repeated in it.
func (t Text) isVersion() bool { return t <= DeferredVersion }

// Key names a part that is a submission key.
type Key uint8

// The keys.
const (
	AttemptKey Key = iota
	AdoptedKey
	keyCount
)

// TimerNumbers are the parts that are timers of the session's own.
func TimerNumbers() (from, to Number) { return Timers, afterTimers }
