// Package own tests its forms and scenarios as any program does.
package own

import (
	"testing"

	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func TestForms(t *testing.T) { verify.Test(t, "forms") }

func TestScenarios(t *testing.T) { scenario.Test(t, "scenarios") }
