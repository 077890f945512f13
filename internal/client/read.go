// Package client is the Go client of the service, generated from the contract (api/openapi.yaml), and what reads its
// answers.
//
//	c, _ := client.NewClient("http://127.0.0.1:8080", client.WithBearer(token))
//	papers, err := client.Read[[]client.PaperSummary](c.ListPapers(ctx))
package client

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
)

// A ProblemError is the service's no.
type ProblemError struct{ Problem }

func (e *ProblemError) Error() string { return e.Title + ". " + e.Detail }

// ErrUnreachable tells that the service did not answer.
var ErrUnreachable = errors.New("the service cannot be reached")

// Read reads an answer. The error is a *ProblemError, or ErrUnreachable.
func Read[T any](response *http.Response, err error) (T, error) {
	var value T
	if err != nil {
		return value, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	defer response.Body.Close()
	if response.StatusCode >= 400 {
		return value, readProblem(response)
	}
	if response.StatusCode == http.StatusNoContent {
		return value, nil
	}
	if s, ok := any(&value).(*string); ok {
		b, err := io.ReadAll(response.Body)
		*s = string(b)
		if err != nil {
			err = fmt.Errorf("%w: %w", ErrUnreachable, err)
		}
		return value, err
	}
	if err := json.NewDecoder(response.Body).Decode(&value); err != nil {
		return value, fmt.Errorf("%w: the answer cannot be read: %w", ErrUnreachable, err)
	}
	return value, nil
}

// ReadFile returns an answer that is a file, to be read and closed. The errors are those of [Read].
func ReadFile(response *http.Response, err error) (io.ReadCloser, error) {
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	if response.StatusCode >= 400 {
		defer func() { _ = response.Body.Close() }()
		return nil, readProblem(response)
	}
	return response.Body, nil
}

func readProblem(response *http.Response) error {
	e := &ProblemError{}
	if strings.HasPrefix(
		response.Header.Get("Content-Type"), "application/problem+json",
	) && json.NewDecoder(response.Body).Decode(&e.Problem) == nil {
		return e
	}
	return fmt.Errorf("%w: something else than Examen answers there (%s)", ErrUnreachable, response.Status)
}

// WithBearer sends a bearer token with every call, "" for none, and says that it is Examen that calls: by that sessions
// are told apart in their list.
func WithBearer(token string) ClientOption {
	return WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("User-Agent", "examen")
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		return nil
	})
}
