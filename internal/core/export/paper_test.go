package export_test

import (
	"strings"
	"testing"

	"examen/internal/core/export"
	"examen/internal/core/pack"
)

func ofMoths() export.Paper {
	count, none := "<3>", (*string)(nil)
	return export.Paper{
		Title: "Moths & lamps", Whose: "Wren Aldous, 26 November 2026",
		Parts: []export.Part{
			{Blocks: []pack.Block{
				{Kind: "text", Text: "A *lamp* draws them. ![A trap](trap.png)"},
				{Kind: "example", Text: "SELECT 1 < 2"},
			}},
			{
				Title: "1. Trapped (2 points)", Blocks: []pack.Block{{Kind: "text", Text: "How many?"}},
				Answer: &export.Answer{
					SQL: "SELECT '```'", Verdict: "Incorrect, 0 of 2 points",
					Findings: []string{"Rows are missing: a_b."},
					Columns:  []string{"a|b", "n"}, Rows: [][]*string{{&count, none}}, Count: 12,
				},
			},
			{Title: "2. Free (1 point)", Answer: &export.Answer{Verdict: "Not submitted"}},
		},
	}
}

func TestAPaperAsMarkdown(t *testing.T) {
	want := "# Moths & lamps\n\nWren Aldous, 26 November 2026\n\nA *lamp* draws them. ![A trap](trap.png)\n\n" +
		"```sql\nSELECT 1 < 2\n```\n\n## 1. Trapped (2 points)\n\nHow many?\n\n" +
		"````sql\nSELECT '```'\n````\n\n*Incorrect, 0 of 2 points*\n\n- Rows are missing: a\\_b.\n\n" +
		"| a\\|b | n |\n|---|---|\n| \\<3> | *NULL* |\n\n12 rows; the first 1 are shown\n\n" +
		"## 2. Free (1 point)\n\n*Not submitted*\n"
	if got := ofMoths().Markdown(); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

func TestAPaperAsHTML(t *testing.T) {
	got := ofMoths().HTML(map[string]string{"trap.png": "data:image/png;base64,AA=="})
	for _, want := range []string{
		"<title>Moths &amp; lamps</title>", `<img src="data:image/png;base64,AA==" alt="A trap">`,
		"<pre>SELECT 1 &lt; 2</pre>", "<h2>1. Trapped (2 points)</h2>",
		`<pre class="answer">SELECT &#39;` + "```" + `&#39;</pre>`, "<td>&lt;3&gt;</td><td><i>NULL</i></td>",
		"12 rows; the first 1 are shown", `<p class="verdict">Not submitted</p>`,
	} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is missing in\n%s", want, got)
		}
	}
	if strings.Contains(got, "<script") || strings.Contains(got, "http") {
		t.Error("the file does not stand for itself")
	}
}
