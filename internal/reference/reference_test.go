package reference

import (
	"testing"

	"pgregory.net/rapid"
)

// Nothing that was typed or sent is lost or falsified, whatever the applicant, the
// office and the way between them do.
func TestNothingIsLostOrFalsified(t *testing.T) { rapid.Check(t, Run) }
