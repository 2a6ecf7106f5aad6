package harbour_test

import (
	"testing"

	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func TestScenarios(t *testing.T) { scenario.Test(t, "demo") }

func TestPlan(t *testing.T) { verify.Test(t, "demo/plan.form.yaml") }
