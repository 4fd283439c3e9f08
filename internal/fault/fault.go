// Package fault is the one kind of error that a person gets to read: a stable
// code, what happened, and what would mend it. Services return it; the API
// turns it into a problem document and the command line into an exit code.
package fault

import (
	"errors"
	"fmt"

	"restlesscrate/internal/core/finding"
)

// Kind says what sort of thing went wrong. It decides the HTTP status and the
// exit code.
type Kind int

// The kinds.
const (
	Failed   Kind = iota // it was tried and did not work
	Usage                // what was asked for makes no sense
	Unknown              // a thing that was named does not exist
	Conflict             // the state of things does not allow it
	Blocked              // a finding, or a draft that is no longer true
	Halted               // a deployment stopped half-way
	Denied               // not signed in
)

// Error is an error with a code. It may wrap the error that caused it.
type Error struct {
	Kind       Kind
	Code       string
	What       string
	Mend       string           // in words that hold for every face
	Remedies   []finding.Remedy // the deeds that would help
	Findings   []finding.Finding
	Deployment string // the deployment to look at, such as saltpan#7
	Err        error
}

func (f *Error) Error() string {
	if f.Err != nil {
		return f.What + ": " + f.Err.Error()
	}
	return f.What
}

// Unwrap gives the cause.
func (f *Error) Unwrap() error { return f.Err }

// New makes a fault.
func New(k Kind, code, format string, args ...any) *Error {
	return &Error{Kind: k, Code: code, What: fmt.Sprintf(format, args...)}
}

// From makes a fault of an error that says what is wrong by itself, with the deeds that it
// offers: those of an error with a method Remedies.
func From(k Kind, code string, err error) *Error {
	f := &Error{Kind: k, Code: code, What: err.Error()}
	var offers interface{ Remedies() []finding.Remedy }
	if errors.As(err, &offers) {
		f.Remedies = offers.Remedies()
	}
	return f
}

// WithMend says what would mend it.
func (f *Error) WithMend(format string, args ...any) *Error {
	f.Mend = fmt.Sprintf(format, args...)
	return f
}

// By adds the deeds that would help.
func (f *Error) By(remedies ...finding.Remedy) *Error {
	f.Remedies = append(f.Remedies, remedies...)
	return f
}

// Because adds the error that caused it.
func (f *Error) Because(err error) *Error {
	f.Err = err
	return f
}

// As finds the fault in an error; any other error is an unexpected failure.
func As(err error) *Error {
	var f *Error
	if errors.As(err, &f) {
		return f
	}
	return &Error{Kind: Failed, Code: "failed", What: err.Error()}
}
