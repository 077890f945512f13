// Package panics has a panic end only the work in which it happens. One in a goroutine of its own would end the whole
// service, and with it everybody's work.
package panics

import (
	"fmt"
	"runtime/debug"
)

// An Error is the error of work that panicked.
type Error struct {
	Value any    // that was panicked with
	Stack []byte // of the goroutine
}

func (e *Error) Error() string { return fmt.Sprintf("panic: %v\n%s", e.Value, e.Stack) }

// Of is the error for what recover has returned. It is called by the deferred function, so that the stack is that of
// the panic.
func Of(recovered any) *Error { return &Error{recovered, debug.Stack()} }

// Caught returns f with a panic in it as its error, an [*Error].
func Caught(f func() error) func() error {
	return func() (err error) {
		defer func() {
			if recovered := recover(); recovered != nil {
				err = Of(recovered)
			}
		}()
		return f()
	}
}
