package cli

import (
	"context"
	"net/http"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// A call is one of the contract's calls with its parameters.
type call func(context.Context, *client.Client) (*http.Response, error)

// ask makes a call and decodes its answer.
func ask[T any](p *program, cmd *cobra.Command, question call) (T, error) {
	c, _, err := p.connect()
	if err != nil {
		var none T
		return none, err
	}
	return client.Read[T](question(cmd.Context(), c))
}

// show makes a call and prints its answer: unchanged as JSON, otherwise as the lines that lines makes of it.
func show[T any](p *program, cmd *cobra.Command, question call, header []string, lines func(T) [][]string) error {
	answer, err := ask[T](p, cmd, question)
	if err != nil {
		return err
	}
	return p.print(answer, header, lines(answer))
}

// each makes a line for every item of a list.
func each[T any](line func(T) []string) func([]T) [][]string {
	return func(items []T) [][]string {
		var all [][]string
		for _, item := range items {
			all = append(all, line(item))
		}
		return all
	}
}

// one makes a single line from an answer.
func one[T any](line func(T) []string) func(T) [][]string {
	return func(item T) [][]string { return [][]string{line(item)} }
}
