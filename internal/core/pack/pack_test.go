package pack_test

import (
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"examen/internal/core/compare"
	"examen/internal/core/pack"
	"examen/packs"
)

// files is a small pack that has nothing wrong; edit changes one text in one of its files.
func files(edits ...string) map[string][]byte {
	all := map[string][]byte{
		"pack.yaml": []byte(`pack: night-sky
title: Nights at the observatory
datasets:
  nights:
    title: Nights
    setup: [nights/tables.sql]
    dictionary: nights/dictionary.yaml
    variants:
      cloudy: [nights/cloudy.sql]
papers: [papers/dusk.md]
`),
		"nights/tables.sql":      []byte("CREATE TABLE night (day date PRIMARY KEY, seeing numeric);\n"),
		"nights/cloudy.sql":      []byte("INSERT INTO night VALUES ('2026-01-01', NULL);\n"),
		"nights/dictionary.yaml": []byte("night:\n  meaning: One night.\n  columns:\n    seeing: In arc seconds.\n"),
		"papers/dusk.md": []byte("---\npaper: dusk\ntitle: Dusk\ndataset: nights\ndue: 2026-12-01T20:00:00Z\n---\n" +
			"Look up.\n\n```sql example\nSELECT * FROM night;\n```\n\n## All nights {#all-nights}\n\n" +
			"List **every** night:\n\n```text\nas is\n```\n\n" +
			"```sql answer\nSELECT day\nFROM night;\n```\n\n```yaml check\npoints: 2\norder: any\nforbid: [limit]\n" +
			"variants: [cloudy]\n```\n\nMore text.\n\n## Afterwards\n\nGo to bed.\n"),
	}
	for i := 0; i < len(edits); i += 3 {
		file, old, new := edits[i], edits[i+1], edits[i+2]
		if !strings.Contains(string(all[file]), old) {
			panic("nothing to edit: " + old)
		}
		all[file] = []byte(strings.Replace(string(all[file]), old, new, 1))
	}
	return all
}

// folder has the files of a pack.
func folder(files map[string][]byte) fs.FS {
	all := fstest.MapFS{}
	for name, content := range files {
		all[name] = &fstest.MapFile{Data: content}
	}
	return all
}

func TestReadAPack(t *testing.T) {
	p, wrong := pack.Read(folder(files()))
	if wrong != nil {
		t.Fatal(wrong)
	}
	if p.Name != "night-sky" || len(p.Datasets) != 1 || p.Datasets[0].Variants[0].Name != "cloudy" ||
		p.Datasets[0].Dictionary["night"].Columns["seeing"] != "In arc seconds." {
		t.Errorf("datasets: %+v", p)
	}
	sections := p.Papers[0].Sections
	if len(sections) != 3 || sections[1].Exercise == nil || sections[2].Title != "Afterwards" {
		t.Fatalf("sections: %+v", sections)
	}
	if got := fmt.Sprint(sections[0].Blocks); got != "[{text Look up. 0} {example SELECT * FROM night; 10}]" {
		t.Errorf("narrative: %s", got)
	}
	e := sections[1].Exercise
	if got := fmt.Sprintf(
		"%s %d %q %q %v", e.Slug, e.Number, e.Title, e.Reference, e.Points,
	); got != `all-nights 1 "All nights" "SELECT day\nFROM night;" 2` {
		t.Errorf("exercise: %s", got)
	}
	if got := fmt.Sprintf(
		"%q", texts(e.Blocks),
	); got != `["List **every** night:\n\n`+"```text\\nas is\\n```"+`" "More text."]` {
		t.Errorf("the task has to be without answer and check: %s", got)
	}
	if c := e.Checking; c.Policy.Order != compare.OrderAny || c.Forbid[0] != "limit" || (*c.Variants)[0] != "cloudy" ||
		c.Show != pack.ShowColumns {
		t.Errorf("checking: %+v", c)
	}
}

func TestWhatIsWrongHasItsFileAndLine(t *testing.T) {
	for _, c := range []struct {
		name  string
		edits []string
		want  string // how the first error begins, and a part of it
	}{
		{
			"an unknown key in the check block", []string{"papers/dusk.md", "order: any", "ordr: any"},
			`papers/dusk.md:28: unknown key "ordr": expected one of`,
		},
		{
			"an unknown key in the pack", []string{"pack.yaml", "    setup:", "    scripts:"},
			`pack.yaml:6: unknown key "scripts"`,
		},
		{
			"a missing file", []string{"pack.yaml", "nights/tables.sql", "nights/table.sql"},
			`pack.yaml:6: the pack has no file "nights/table.sql"`,
		},
		{
			"a path that leaves the folder", []string{"pack.yaml", "nights/tables.sql", "../secret.sql"},
			`pack.yaml:6: "../secret.sql" leaves the pack's folder`,
		},
		{
			"no title", []string{"pack.yaml", "title: Nights at the observatory\n", ""},
			`pack.yaml:1: the key "title" is missing`,
		},
		{"no YAML", []string{"pack.yaml", "title: Nights at", "title: [Nights at"}, `pack.yaml:`},
		{"a bad name", []string{"pack.yaml", "night-sky", "Night Sky"}, `pack.yaml:1: "Night Sky" is not a valid name`},
		{
			"a key twice", []string{"pack.yaml", "title: Nights at", "pack: x\ntitle: Nights at"},
			`pack.yaml:2: the key "pack" is there twice`,
		},
		{
			"no front matter", []string{"papers/dusk.md", "---\npaper", "paper"},
			`papers/dusk.md:1: a paper starts with its front matter`,
		},
		{
			"a time that is none", []string{"papers/dusk.md", "2026-12-01T20:00:00Z", "tomorrow"},
			`papers/dusk.md:5: "tomorrow" is no time`,
		},
		{
			"an answer that cannot be read",
			[]string{"papers/dusk.md", "FROM night;\n```\n\n```yaml", "FORM night WHERE;\n```\n\n```yaml"},
			`papers/dusk.md:23: the reference answer cannot be read: syntax error`,
		},
		{
			"an answer that acts beyond a copy", []string{"papers/dusk.md", "SELECT day\nFROM night",
				"CREATE ROLE\nnight"},
			`papers/dusk.md:22: the reference answer: Roles and rights cannot be changed`,
		},
		{
			"answers of both kinds", []string{
				"papers/dusk.md", "SELECT day\nFROM night", "DELETE\nFROM night",
				"papers/dusk.md", "forbid: [limit]", "also: [SELECT day FROM night]",
			},
			`papers/dusk.md:29: also, answer 1: either all answers of an exercise change something, or none does`,
		},
		{
			"an answer that breaks its own rule", []string{"papers/dusk.md", "forbid: [limit]", "require: [join]"},
			`papers/dusk.md:22: the reference answer breaks its own rule: the check block requires join`,
		},
		{
			"an unknown construct", []string{"papers/dusk.md", "forbid: [limit]", "forbid: [limits]"},
			`papers/dusk.md:29: "limits" is no construct`,
		},
		{
			"an unknown variant", []string{"papers/dusk.md", "[cloudy]", "[rainy]"},
			`papers/dusk.md:22: exercise all-nights: the dataset nights has no variant "rainy"`,
		},
		{
			"a check without an answer", []string{"papers/dusk.md", "```sql answer", "```sql"},
			`papers/dusk.md:27: a yaml check block without an sql answer block`,
		},
		{
			"an answer without a heading", []string{"papers/dusk.md", "## All nights {#all-nights}", "All nights"},
			`papers/dusk.md:22: an sql answer block before any level-two heading`,
		},
		{
			"points that are none", []string{"papers/dusk.md", "points: 2", "points: many"},
			`papers/dusk.md:27: points: "many"`,
		},
		{
			"a slug twice",
			[]string{"papers/dusk.md", "## Afterwards\n", "## All nights\n\n```sql answer\nSELECT 1\n```\n"},
			`papers/dusk.md:38: two exercises are called "all-nights"`,
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, wrong := pack.Read(folder(files(c.edits...)))
			if len(wrong) == 0 {
				t.Fatal("nothing was found wrong")
			}
			if got := wrong[0].Error(); !strings.HasPrefix(got, c.want) {
				t.Errorf("got %s\nwant %s", got, c.want)
			}
		})
	}
}

func TestFilesThatAreNoText(t *testing.T) {
	all := files()
	all["papers/dusk.md"] = []byte("---\n\xe9\n")
	if _, wrong := pack.Read(folder(all)); len(wrong) == 0 ||
		wrong[0].Error() != "papers/dusk.md:2: the file is not valid UTF-8: save it as UTF-8" {
		t.Errorf("got %v", wrong)
	}
	if _, wrong := pack.Read(folder(nil)); len(wrong) != 1 || wrong[0].File != "pack.yaml" {
		t.Errorf("got %v", wrong)
	}
}

func TestWindowsLineEndsAndByteOrderMarks(t *testing.T) {
	all := files()
	for name, content := range all {
		all[name] = []byte("\ufeff" + strings.ReplaceAll(string(content), "\n", "\r\n"))
	}
	p, wrong := pack.Read(folder(all))
	if wrong != nil || p.Papers[0].Exercises()[0].Reference != "SELECT day\nFROM night;" {
		t.Errorf("got %+v %v", p, wrong)
	}
}

func TestTheShippedPacksAreRight(t *testing.T) {
	shipped, _ := packs.Files.ReadDir(".")
	for _, entry := range shipped {
		files, err := fs.Sub(packs.Files, entry.Name())
		if err != nil {
			t.Fatal(err)
		}
		p, wrong := pack.Read(files)
		if wrong != nil {
			t.Fatalf("%s: %v", entry.Name(), wrong)
		}
		for _, paper := range p.Papers {
			for _, s := range paper.Sections {
				for _, b := range s.Blocks {
					if strings.Contains(b.Text, "```sql answer") || strings.Contains(b.Text, "yaml check") {
						t.Errorf("%s: narrative shows what it must not: %s", paper.Slug, b.Text)
					}
				}
			}
		}
	}
}

func TestLinksToExercisesAndPapers(t *testing.T) {
	paper := "---\npaper: p\ntitle: P\ndataset: nights\n---\n" +
		"See [a](#first), [b](other), [c](other#x), [d](https://example.org) and [e](/papers).\n\n" +
		"## First {#first}\n\nAs in [f](#gone).\n\n```sql answer\nSELECT 1\n```\n"
	all := files()
	for name := range all {
		if strings.HasSuffix(name, ".md") {
			all[name] = []byte(paper)
		}
	}
	p, wrong := pack.Read(folder(all))
	if wrong != nil {
		t.Fatal(wrong)
	}
	if got := strings.Join(p.Papers[0].Links(), " "); got != "#first other other#x #gone" {
		t.Errorf("got %q", got)
	}
}

func FuzzRead(f *testing.F) {
	for _, content := range files() {
		f.Add(string(content))
	}
	f.Fuzz(func(t *testing.T, content string) {
		for name := range maps.Keys(files()) {
			all := files()
			all[name] = []byte(content)
			p, wrong := pack.Read(folder(all))
			if (p == nil) != (len(wrong) > 0) {
				t.Errorf("a pack or errors are expected, got %v and %v", p, wrong)
			}
			if p != nil {
				for i := range p.Papers {
					for _, link := range p.Papers[i].Links() {
						if strings.HasPrefix(link, "/") || strings.Contains(link, ":") {
							t.Errorf("a link to elsewhere: %q", link)
						}
					}
				}
			}
			for _, w := range wrong {
				if w.Line < 1 || w.File == "" {
					t.Errorf("an error without a place: %v", w)
				}
			}
		}
	})
}

// A label that is not quite right would show the answer to learners.
func TestLabelsThatAreMisspelt(t *testing.T) {
	paper := func(blocks string) []pack.Error {
		all := files()
		all["papers/dusk.md"] = []byte(
			"---\npaper: dusk\ntitle: Dusk\ndataset: nights\n---\n\n## All nights\n\n" + blocks,
		)
		_, wrong := pack.Read(folder(all))
		return wrong
	}
	const answer = "\nSELECT day FROM night;\n```\n"
	for _, label := range []string{"sql answer", "SQL Answer", "Sql  ANSWER", "sql answer "} {
		if wrong := paper("```" + label + answer); wrong != nil {
			t.Errorf("%q: %v", label, wrong)
		}
	}
	for _, label := range []string{
		"sql anwser", "sql {answer}", "answer", "Answer", "sql:answer", "sqlanswer", "sql-answer", "{.sql .answer}",
		"sql answers", "postgresql answer", "yml check", "yaml chek", "check", "sql exmple", "sql check", "yaml answer",
	} {
		if wrong := paper("```" + label + answer); len(wrong) == 0 ||
			!strings.HasPrefix(wrong[0].Error(), "papers/dusk.md:9: the label") {
			t.Errorf("%q: %v", label, wrong)
		}
	}
	for _, label := range []string{"", "sql", "text", "python", "yaml", "console", "answer key in prose"} {
		if wrong := paper("```" + label + answer); wrong != nil && label != "answer key in prose" {
			t.Errorf("%q: %v", label, wrong)
		}
	}
	for blocks, want := range map[string]string{
		"- ```sql answer\n  SELECT 1\n  ```\n": "papers/dusk.md:9: " +
			"a block \"sql answer\" stands within a list",
		"```sql answer" + answer + "\n```sql\nselect DAY\n from night\n```\n": "papers/dusk.md:14: " +
			"this block is shown to learners",
		"```sql answer" + answer + "\n    SELECT day FROM night\n": "papers/dusk.md:13: " +
			"this block is shown to learners",
		"```sql answer" + answer + "\n```sql example\nSELECT 1; SELECT day FROM night;\n```\n": "papers/dusk.md:14: " +
			"this block is shown to learners",
	} {
		if wrong := paper(blocks); len(wrong) == 0 || !strings.HasPrefix(wrong[0].Error(), want) {
			t.Errorf("%q: %v", blocks, wrong)
		}
	}
	if wrong := paper(
		"```sql answer" + answer + "\n```sql example\nSELECT day FROM night WHERE day > '2026-01-01';\n```\n",
	); wrong != nil {
		t.Errorf("a block that goes on: %v", wrong)
	}
}

func texts(blocks []pack.Block) (all []string) {
	for _, b := range blocks {
		all = append(all, b.Text)
	}
	return all
}

// A picture that a paper shows is a file of its pack, of a kind and size that every browser shows.
func TestPicturesOfAPaper(t *testing.T) {
	png := "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR"
	read := func(markdown string) (*pack.Pack, []pack.Error) {
		all := files("papers/dusk.md", "Look up.", markdown)
		all["papers/dome.png"] = []byte(png)
		all["papers/dome.svg"] = []byte("<svg xmlns='http://www.w3.org/2000/svg'/>")
		all["papers/text.png"], all["papers/large.png"] = []byte("no picture"), make([]byte, pack.LargestPicture+1)
		return pack.Read(folder(all))
	}
	p, wrong := read("![The dome](dome.png), again ![](../papers/dome.png) ![](dome.png) and ![drawn](dome.svg)")
	if wrong != nil {
		t.Fatal(wrong)
	}
	want := []pack.Picture{
		{Name: "dome.png", Path: "papers/dome.png", MediaType: "image/png"},
		{Name: "../papers/dome.png", Path: "papers/dome.png", MediaType: "image/png"},
		{Name: "dome.svg", Path: "papers/dome.svg", MediaType: "image/svg+xml"},
	}
	if got := p.Papers[0].Pictures; !slices.Equal(got, want) {
		t.Errorf("got %v", got)
	}
	for _, c := range []struct{ markdown, wrong string }{
		{"![](moon.png)", `dusk.md:7: the picture "moon.png" is not there: the pack has no file papers/moon.png`},
		{"![](../../dome.png)", "leaves the pack's folder"},
		{"![](https://sky.example/dome.png)", "is not a file of the pack"},
		{"![](text.png)", "PNG, JPEG, GIF, WebP or SVG is expected, and its content is text/plain"},
		{"![](large.png)", "is larger than 5 MB"},
	} {
		if _, wrong := read(c.markdown); len(wrong) != 1 || !strings.Contains(wrong[0].Error(), c.wrong) {
			t.Errorf("%s: %v", c.markdown, wrong)
		}
	}
}
