package problem_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"examen/internal/problem"
)

// A problem is an error that can be answered with as it is.
func Example() {
	loan := func(hive string) error {
		return fmt.Errorf(
			"lend: %w",
			problem.New(404, "no-hive", "There is no such hive", "None is called %q.", hive),
		)
	}
	err := loan("Amber")
	var p *problem.Problem
	if errors.As(err, &p) {
		_ = json.NewEncoder(os.Stdout).Encode(p)
	}
	fmt.Println(err)
	// Output:
	// {"type":"examen:no-hive","title":"There is no such hive","status":404,"detail":"None is called \"Amber\"."}
	// lend: There is no such hive: None is called "Amber".
}
