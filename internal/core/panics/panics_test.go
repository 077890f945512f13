package panics_test

import (
	"errors"
	"strings"
	"testing"

	"golang.org/x/sync/errgroup"

	"examen/internal/core/panics"
)

func TestCaught(t *testing.T) {
	var all errgroup.Group
	var none []int
	all.Go(panics.Caught(func() error { return errors.New("slower") }))
	if err := all.Wait(); err == nil || err.Error() != "slower" {
		t.Errorf("an error stays what it is: %v", err)
	}
	var other errgroup.Group
	other.Go(panics.Caught(func() error { none[2] = 1; return nil }))
	other.Go(panics.Caught(func() error { return nil }))
	err := other.Wait()
	var caught *panics.Error
	if !errors.As(err, &caught) || !strings.Contains(err.Error(), "index out of range [2]") ||
		!strings.Contains(err.Error(), "panics_test.go") {
		t.Errorf("a panic in a goroutine: %v", err)
	}
}
