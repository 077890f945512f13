package result_test

import (
	"bytes"
	"fmt"

	"examen/internal/core/result"
)

// Cells that mean the same have the same canonical form, whatever their types.
func Example() {
	integer, numeric := result.Type{Name: "integer", OID: 23}, result.Type{Name: "numeric", OID: 1700}
	ours, theirs := result.Pair(integer, numeric, result.Options{})
	two := result.AppendCell(nil, []byte("2"), &ours)
	for _, text := range []string{"2.00", "2.01"} {
		other := result.AppendCell(nil, []byte(text), &theirs)
		fmt.Println(text, bytes.Equal(two, other))
	}
	// A sum of fingerprints stands for rows in any order.
	const seed = result.Seed(1)
	amber, bramble := seed.Of([]byte("Amber")), seed.Of([]byte("Bramble"))
	fmt.Println(amber.Plus(bramble) == bramble.Plus(amber))
	// Output:
	// 2.00 true
	// 2.01 false
	// true
}
