package harbour_test

import (
	"testing"

	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func TestScenarios(t *testing.T) { scenario.Test(t, "demo", "first") }

func TestForms(t *testing.T) { verify.Test(t, "demo/visit.form.yaml") }
