package memory_test

import (
	"testing"
	"time"

	"leanwicket.dev/ledger/conformance"
	"leanwicket.dev/ledger/memory"
)

func TestMemory(t *testing.T) { conformance.Keys(t, memory.New(time.Hour)) }
