package dataset_test

import (
	"fmt"

	"examen/internal/core/dataset"
)

// A catalogue says how its tables relate, and draws them.
func Example() {
	c := &dataset.Catalogue{Tables: []dataset.Table{
		{Name: "apiary", Columns: []dataset.Column{{Name: "apiary_id", Type: "integer", Key: true}}},
		{Name: "hive", Columns: []dataset.Column{
			{Name: "hive_id", Type: "integer", Key: true},
			{Name: "apiary_id", Type: "integer", References: "apiary.apiary_id"},
		}, Constraints: []dataset.Constraint{{
			Kind: dataset.ForeignKey, Columns: []string{"apiary_id"}, Table: "apiary", Referred: []string{"apiary_id"},
		}}},
	}}
	for _, r := range c.Relations() {
		fmt.Println(r.From, "to", r.To, r.Columns)
	}
	fmt.Println(dataset.NewMap(c).Mermaid())
	// Output:
	// hive to apiary [apiary_id]
	// erDiagram
	//     "apiary" {
	//         integer apiary_id PK
	//     }
	//     "hive" {
	//         integer hive_id PK
	//         integer apiary_id FK
	//     }
	//     "apiary" ||--o{ "hive" : "apiary_id"
}
