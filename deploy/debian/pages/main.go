// Command pages writes the manual's pages and the shells' completions into a folder, from the commands themselves: make
// package.
package main

import (
	"log"
	"os"
	"path/filepath"

	"github.com/spf13/cobra/doc"

	"examen/internal/cli"
)

func main() {
	log.SetFlags(0)
	if len(os.Args) != 3 {
		log.Fatal("usage: pages FOLDER VERSION")
	}
	if err := write(os.Args[1], os.Args[2]); err != nil {
		log.Fatal(err)
	}
}

func write(folder, version string) error {
	root := cli.Command()
	root.DisableAutoGenTag = true // which says when it was written
	root.InitDefaultCompletionCmd()
	manual := filepath.Join(folder, "man1")
	if err := os.MkdirAll(manual, 0o755); err != nil {
		return err
	}
	if err := doc.GenManTree(root, &doc.GenManHeader{
		Section: "1", Source: "Examen " + version, Manual: "Examen",
	}, manual); err != nil {
		return err
	}
	for name, generate := range map[string]func(string) error{
		"examen.bash": func(file string) error { return root.GenBashCompletionFileV2(file, true) },
		"_examen":     root.GenZshCompletionFile,
		"examen.fish": func(file string) error { return root.GenFishCompletionFile(file, true) },
	} {
		if err := generate(filepath.Join(folder, name)); err != nil {
			return err
		}
	}
	return nil
}
