package script_test

import (
	"fmt"
	"io"
	"testing/fstest"

	"examen/internal/core/script"
)

// Setup scripts are read as a stream, statement by statement, with what they include.
func Example() {
	files := fstest.MapFS{
		"setup.sql":  {Data: []byte("\\i tables.sql\nINSERT INTO hive VALUES ('Amber; the first');\n")},
		"tables.sql": {Data: []byte("CREATE TABLE hive (name text);\n")},
	}
	scripts := script.Open(files, []string{"setup.sql"}, "")
	defer scripts.Close()
	for {
		s, err := scripts.Next()
		if err == io.EOF {
			break
		} else if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Printf("%s:%d %s\n", s.File, s.Line, s.Text)
	}
	// Output:
	// tables.sql:1 CREATE TABLE hive (name text)
	// setup.sql:2 INSERT INTO hive VALUES ('Amber; the first')
}
