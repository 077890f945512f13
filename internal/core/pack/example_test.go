package pack_test

import (
	"fmt"
	"testing/fstest"

	"examen/internal/core/pack"
)

// A pack is read from a folder; what is wrong with it has its file and line.
func Example() {
	const fence = "```"
	folder := fstest.MapFS{
		"pack.yaml": {Data: []byte("pack: yard\ntitle: A yard\ndatasets:\n  yard:\n    title: A yard\n" +
			"    setup: [setup.sql]\npapers: [hives.md]\n")},
		"setup.sql": {Data: []byte("CREATE TABLE hive (name text);\n")},
		"hives.md": {Data: []byte("---\npaper: hives\ntitle: Hives\ndataset: yard\n---\n\n" +
			"## All hives\n\nList them.\n\n" + fence + "sql answer\nSELECT name FROM hive;\n" + fence + "\n")},
	}
	p, wrong := pack.Read(folder)
	for _, e := range wrong {
		fmt.Println(e)
	}
	for _, e := range p.Papers[0].Exercises() {
		fmt.Println(e.Number, e.Slug, e.Points, e.Reference)
	}
	folder["hives.md"].Data = append(folder["hives.md"].Data, "\n"+fence+"yaml check\npoints: many\n"+fence+"\n"...)
	_, wrong = pack.Read(folder)
	fmt.Println(wrong[0].Error())
	// Output:
	// 1 all-hives 1 SELECT name FROM hive;
	// hives.md:16: points: "many" is no number from 0 to 1,000,000
}
