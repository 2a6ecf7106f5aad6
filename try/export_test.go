package try

// Names are those of all trials.
var Names = names
