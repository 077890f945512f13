package answers_test

import (
	"fmt"
	"testing"

	"examen/internal/core/answers"
)

func Example() {
	file := answers.Write("moths", "Moths by night", []answers.Answer{
		{Exercise: "all", Heading: "1. All moths (1 point)", SQL: "SELECT *\nFROM moth"}, {Exercise: "large"},
	})
	fmt.Print(file)
	all, _ := answers.Read("moths", file)
	fmt.Printf("%q on line %d, %q", all[0].SQL, all[0].Line, all[1].SQL)
	// Output:
	// -- Moths by night
	// -- Write each answer beneath the line with its address; what stays empty is not submitted.
	//
	// -- moths/all  1. All moths (1 point)
	// SELECT *
	// FROM moth
	//
	// -- moths/large
	//
	// "SELECT *\nFROM moth" on line 5, ""
}

func TestRead(t *testing.T) {
	for _, c := range []struct{ name, file, want string }{
		{"by number, from another system", "--moths/2\r\n\r\nSELECT 1;\r\n", `[{2  SELECT 1; 3}] <nil>`},
		{"comments belong to their answer", "-- moths/all\n-- mine\nSELECT 1\n", "[{all  -- mine\nSELECT 1 2}] <nil>"},
		{"another paper's address is a comment", "-- moths/all\n-- bees/all\n", "[{all  -- bees/all 2}] <nil>"},
		{
			"an address within a line is none", "-- moths/all\nSELECT 1 -- moths/large",
			"[{all  SELECT 1 -- moths/large 2}] <nil>",
		},
		{"SQL before the first address", "-- x\n\nSELECT 1\n-- moths/all",
			"[] line 3: SQL stands before the first address: begin each answer with a line such as -- moths/1"},
		{"no address", "-- x", "[] line 1: the file names no exercise of moths: " +
			"begin each answer with a line such as -- moths/1"},
		{"twice", "-- moths/all\n-- moths/all  again", "[] line 2: moths/all has its place on line 1 already"},
	} {
		all, err := answers.Read("moths", c.file)
		if got := fmt.Sprint(all, " ", err); got != c.want {
			t.Errorf("%s: got %s", c.name, got)
		}
	}
}
