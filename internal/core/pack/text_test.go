package pack_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/pack"
)

const front = "---\npaper: dusk\ntitle: At dusk\ndataset: nights\n---\n"

// section is an exercise as people write it.
func section(title, task, answer string) string {
	return "## " + title + "\n\n" + task + "\n\n```sql answer\n" + answer + "\n```\n\n"
}

func ExampleMerge() {
	base := front + "Look up.\n\n" + section("Stars", "Count them.", "SELECT count(*) FROM star")
	ours := strings.Replace(base, "Look up.", "Look up, and wait.", 1)
	theirs := base + section("Nights", "List them.", "SELECT day FROM night")
	text, conflicts := pack.Merge(base, ours, theirs)
	for _, part := range pack.Parts(text)[1:] {
		fmt.Printf("%q exercise: %v\n", part.Slug, part.Exercise)
	}
	fmt.Println(strings.Contains(text, "and wait"), len(conflicts))
	// Output:
	// "" exercise: false
	// "stars" exercise: true
	// "nights" exercise: true
	// true 0
}

// What was written comes back byte for byte, however it was written.
func TestPartsAndPiecesAreTheText(t *testing.T) {
	for _, text := range []string{
		"", "no front matter\n", front, "\ufeff" + front + "x", "---\nnever closed\n",
		front + "a\n\nTitle\n---\n\nb\n## Next  {#n}\n```sql answer\nSELECT 1\n```",
		strings.ReplaceAll(front+"a\n\n## T\n\n```yaml check\npoints: 2\n```\nb\n", "\n", "\r\n"),
		front + "## \n\n```sql answer\n```\n\n> ## quoted\n\n## {#only-a-name}\ntext",
		front + "```sql example\nnever closed\n## not a heading\n",
		front + "## One\n~~~~ sql answer\nSELECT '```'\n~~~~\n   \n\n\n",
	} {
		var parts, pieces strings.Builder
		for _, part := range pack.Parts(text) {
			parts.WriteString(part.Text)
			for _, piece := range pack.Pieces(part.Text) {
				pieces.WriteString(piece.Text)
			}
		}
		if parts.String() != text || pieces.String() != text {
			t.Errorf("of %q came %q and %q", text, parts.String(), pieces.String())
		}
	}
}

func TestPieces(t *testing.T) {
	got := ""
	task := "Count.\n\n```sql example\nTABLE star\n```"
	for _, piece := range pack.Pieces(section("Stars", task, "SELECT 1") + "So.") {
		got += string(piece.Kind) + " "
	}
	if got != "heading text example text answer text " {
		t.Errorf("got %s", got)
	}
}

// Two hands on one paper, one case a line: what each does to three sections, and what comes of it.
func TestMerge(t *testing.T) {
	a, b, c := "## A\n\na\n\n", "## B\n\nb\n\n", "## C\n\nc\n\n"
	changed := func(section string) string { return strings.ToUpper(section) }
	d, e := "## D\n\nd\n\n", "## E\n\ne\n\n"
	for _, to := range []struct {
		name               string
		ours, theirs, want []string
		conflicts          int
	}{
		{"nothing", []string{a, b, c}, []string{a, b, c}, []string{a, b, c}, 0},
		{"neighbours", []string{changed(a), b, c}, []string{a, changed(b), c}, []string{changed(a), changed(b), c}, 0},
		{"the same change", []string{changed(a), b, c}, []string{changed(a), b, c}, []string{changed(a), b, c}, 0},
		{"one section", []string{changed(a), b, c}, []string{a + "!\n", b, c}, []string{changed(a), b, c}, 1},
		{"moved and changed", []string{c, a, b}, []string{a, b, changed(c)}, []string{changed(c), a, b}, 0},
		{"changed and moved", []string{a, b, changed(c)}, []string{c, a, b}, []string{changed(c), a, b}, 0},
		{"each adds", []string{a, d, b, c}, []string{a, e, b, c}, []string{a, d, e, b, c}, 0},
		{"one adds at the end", []string{a, b, c, d}, []string{a, b, c}, []string{a, b, c, d}, 0},
		{"one takes out", []string{a, c}, []string{a, b, c}, []string{a, c}, 0},
		{"taken out and changed", []string{a, c}, []string{a, changed(b), c}, []string{a, c}, 1},
		{"changed and taken out", []string{a, changed(b), c}, []string{a, c}, []string{a, changed(b), c}, 1},
		{"both take out", []string{a, c}, []string{a, c}, []string{a, c}, 0},
		{"both add one of a name", []string{a, d, b, c}, []string{a, b, c, d + "!"}, []string{a, d, b, c}, 1},
	} {
		join := func(sections []string) string { return front + strings.Join(sections, "") }
		text, conflicts := pack.Merge(join([]string{a, b, c}), join(to.ours), join(to.theirs))
		if text != join(to.want) || len(conflicts) != to.conflicts {
			t.Errorf("%s: got %q, %v", to.name, text, conflicts)
		}
	}
}

func TestChanges(t *testing.T) {
	a, b, c := "## A\n\na\n\n", "## B\n\nb\n\n", "## C\n\nc\n\n"
	var got []string
	for _, change := range pack.Changes(front+a+b+c, front+c+a+"## D\n"+strings.Replace(b, "b\n", "bb\n", 1)) {
		got = append(got, fmt.Sprintf("%s %v %v", change.Part.Title, change.Was != "", change.Was == change.Is))
	}
	if want := []string{"C true true", "D false false", "B true false"}; !slices.Equal(got, want) {
		t.Errorf("got %q", got)
	}
	if got := pack.Changes(front+a, strings.Replace(front, "At", "By", 1)+a); len(got) != 1 || !got[0].Part.Front {
		t.Errorf("got %v", got)
	}
}

// Whatever two hands write, nothing that one of them wrote alone is lost without a word.
func FuzzMerge(f *testing.F) {
	f.Add(front+"## A\n\na\n", front+"## A\n\nb\n## B\n", "## B\n\n## A\n")
	f.Fuzz(func(t *testing.T, base, ours, theirs string) {
		text, conflicts := pack.Merge(base, base, theirs)
		if text != theirs || conflicts != nil {
			t.Errorf("only they changed %q to %q: got %q", base, theirs, text)
		}
		if text, conflicts = pack.Merge(base, ours, base); text != ours || conflicts != nil {
			t.Errorf("only we changed %q to %q: got %q", base, ours, text)
		}
		if text, conflicts = pack.Merge(base, ours, ours); text != ours || conflicts != nil {
			t.Errorf("both changed %q to %q: got %q", base, ours, text)
		}
	})
}

// Papers are added to a pack.yaml as it is written.
func TestWithPapers(t *testing.T) {
	for before, after := range map[string]string{
		"pack: a\npapers: [a.md] # all\n":           "pack: a\npapers: [a.md, b.md, c.md] # all\n",
		"papers: []\npack: a\n":                     "papers: [b.md, c.md]\npack: a\n",
		"papers: [\n  'a].md', # one\n]\npack: a\n": "papers: [\n  'a].md', # one\n, b.md, c.md]\npack: a\n",
		"pack: a\n": "pack: a\npapers:\n  - b.md\n  - c.md\n",
		"pack: a":   "pack: a\npapers:\n  - b.md\n  - c.md\n",
		"papers:\n- a.md  # the first\n\ntitle: A\n": "papers:\n- a.md  # the first\n- b.md\n- c.md\n\ntitle: A\n",
		"papers:\r\n    - a.md":                      "papers:\r\n    - a.md\r\n    - b.md\r\n    - c.md\r\n",
	} {
		if got := string(pack.WithPapers([]byte(before), []string{"b.md", "c.md"})); got != after {
			t.Errorf("%q\ngot  %q\nwant %q", before, got, after)
		}
	}
}

func TestNamed(t *testing.T) {
	for before, after := range map[string]string{
		"## A title\n\nText.\n":       "## A title {#x}\n\nText.\n",
		"## A title {#old}  \r\nText": "## A title {#x}\r\nText",
		"Title\n-----\nText":          "Title {#x}\n-----\nText",
		"No heading\n":                "No heading\n",
	} {
		if got := pack.Named(before, "x"); got != after {
			t.Errorf("%q: got %q", before, got)
		}
	}
}
