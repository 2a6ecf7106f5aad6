package main

// byHand are functions that runtime/hand.h has in C, and why. Their C name is hand_ and
// theirs, with a line below for each character that C does not allow in one.
var byHand = map[string]string{
	"internal/bytealg.IndexByte":       "the standard one is assembly",
	"internal/bytealg.IndexByteString": "the standard one is assembly",
	"internal/bytealg.Count":           "the standard one is assembly",
	"internal/bytealg.CountString":     "the standard one is assembly",
	"internal/bytealg.Compare":         "the standard one is assembly",
	"internal/bytealg.CompareString":   "the standard one is assembly",
	"internal/bytealg.Equal":           "the standard one is assembly",
	"internal/bytealg.MakeNoZero":      "the standard one is the runtime's",
	"(*sync.Mutex).Lock":               "one call runs at a time, and there is nobody to wait for",
	"(*sync.Mutex).Unlock":             "one call runs at a time, and there is nobody to wait for",
	"(*sync.Once).Do":                  "one call runs at a time",
	"internal/abi.NoEscape":            "it gives back what it is given",
	"time.initLocal":                   "every time is in UTC",
	"(*time.Location).lookup":          "every time is in UTC, and the standard one carries the rules of all zones",
}

// notTranslated are functions that are reached and never called, and why. A call is a trap. A
// function without a body, or of a package of the machinery, that is not here is an error.
var notTranslated = map[string]string{
	"(*strconv.NumError).Error": "a text that is no number is told by the form's own words; this one carries tables of what can be printed",
}

// machinery are packages that belong to the standard compiler's own way to run a program:
// nothing of them is translated.
var machinery = map[string]bool{
	"internal/abi": true, "internal/godebug": true, "internal/poll": true, "internal/reflectlite": true,
	"os": true, "reflect": true, "runtime": true, "syscall": true, "syscall/js": true,
}
