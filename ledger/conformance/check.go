package conformance

import (
	"errors"
	"reflect"
	"strings"
	"testing"
	"time"
)

func noError(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func isError(t *testing.T, err, target error) {
	t.Helper()
	if !errors.Is(err, target) {
		t.Fatalf("found the error %v; right would be %v", err, target)
	}
}

func errorContains(t *testing.T, err error, text string) {
	t.Helper()
	if err == nil || !strings.Contains(err.Error(), text) {
		t.Fatalf("found the error %v; right would be one that says %q", err, text)
	}
}

func equal[T any](t *testing.T, want, found T, about ...string) {
	t.Helper()
	if !reflect.DeepEqual(want, found) {
		t.Fatalf("found %v; right would be %v %s", found, want, strings.Join(about, " "))
	}
}

func panics(t *testing.T, want any, do func()) {
	t.Helper()
	defer func() {
		t.Helper()
		equal(t, want, recover())
	}()
	do()
}

func eventually(t *testing.T, holds func() bool, within, pause time.Duration) {
	t.Helper()
	for end := time.Now().Add(within); !holds(); time.Sleep(pause) {
		if time.Now().After(end) {
			t.Fatalf("this does not hold after %s", within)
		}
	}
}
