package pack_test

import (
	"fmt"
	"testing"

	"examen/internal/core/pack"
)

func ExampleHTML() {
	fmt.Print(pack.HTML("Weights are *means*, $\\bar{w} = \\frac{1}{n}\\sum w_i$.", nil))
	// Output:
	// <p>Weights are <em>means</em>, <span class="math">\bar{w} = \frac{1}{n}\sum w_i</span>.</p>
}

// What a paper's text becomes, one case a line.
func TestMarkdownBecomesHTML(t *testing.T) {
	pictures := map[string]string{"site.png": "/api/papers/p/pictures/1f"}
	for _, c := range []struct{ name, markdown, html string }{
		{"a sum of money is no formula", "Between $5 and $6.", "<p>Between $5 and $6.</p>\n"},
		{"nor are lone signs", "$ 5 or 6 $, $1", "<p>$ 5 or 6 $, $1</p>\n"},
		{
			"a formula is kept from Markdown", "$a_1 * b_2 * c < d$",
			"<p><span class=\"math\">a_1 * b_2 * c &lt; d</span></p>\n",
		},
		{"display", "$$x^2$$", "<p><span class=\"math display\">x^2</span></p>\n"},
		{"a block of mathematics", "```math\nx^2\n- 1\n```", `<div class="math display">x^2` + "\n- 1</div>"},
		{"code in it is code", "`$x$`", "<p><code>$x$</code></p>\n"},
		{"raw HTML stays text", "a <b onclick='x'>b</b>", "<p>a &lt;b onclick='x'&gt;b&lt;/b&gt;</p>\n"},
		{"also in blocks", "<script>\nalert(1)\n</script>\n", "<p>&lt;script&gt;\nalert(1)\n&lt;/script&gt;\n</p>"},
		{"a link that runs a script", "[a](javascript:alert(1))", "<p><a href=\"\">a</a></p>\n"},
		{
			"a picture of the pack", "![The site](site.png)",
			`<p><img src="/api/papers/p/pictures/1f" alt="The site"></p>` + "\n",
		},
		{"a picture from elsewhere is left out", "![The site](https://x.example/a.png)", `<p>The site</p>` + "\n"},
		{
			"a block's language", "```sql\nSELECT 1 < 2\n```",
			"<pre><code class=\"language-sql\">SELECT 1 &lt; 2\n</code></pre>\n",
		},
		{
			"a language cannot leave its attribute", "```a\"><b>\nx\n```",
			"<pre><code class=\"language-a&quot;&gt;&lt;b&gt;\">x\n</code></pre>\n",
		},
		{
			"a table", "| a |\n|--:|\n| 1 |",
			"<table>\n<thead>\n<tr>\n<th style=\"text-align:right\">a</th>\n</tr>\n</thead>\n" +
				"<tbody>\n<tr>\n<td style=\"text-align:right\">1</td>\n</tr>\n</tbody>\n</table>\n",
		},
	} {
		if got := pack.HTML(c.markdown, pictures); got != c.html {
			t.Errorf("%s:\ngot  %q\nwant %q", c.name, got, c.html)
		}
	}
}
