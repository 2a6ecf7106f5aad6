package form

// NumberFromFloat is not there in a browser, whose script hands numbers over as texts: what
// makes a text of a float would be a tenth of the core.
func NumberFromFloat(float64) (Value, bool) { return Value{}, false }
