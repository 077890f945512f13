package work_test

import (
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/account"
	"examen/internal/work"
)

// texts are the texts of a learner's history, the latest first.
func (c *class) texts(t *testing.T, f work.HistoryFilter) string {
	t.Helper()
	page, err := c.History(ctx, c.robin, f)
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, e := range page.Entries {
		all = append(all, e.SQL)
	}
	return strings.Join(all, "|")
}

// What was run and submitted is found again, kept under a name, and cleared from one's own view.
func TestTheHistoryIsSearchedKeptAndCleared(t *testing.T) {
	c := open(t, "searched")
	var ids []string
	for _, sql := range []string{"SELECT 'Hundred_Percent 100%'", "SELECT name FROM hive", "SELECT 'hundred'"} {
		run, err := c.Run(ctx, c.robin, work.RunRequest{SQL: sql, Paper: "hives"})
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, run.ID)
	}
	if _, err := c.Run(ctx, c.robin, work.RunRequest{SQL: "SELECT 4", Dataset: "yard"}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.submit(c.robin, "all", allHives); err != nil {
		t.Fatal(err)
	}
	if err := c.KeepEntry(ctx, c.robin, ids[0], true, " my hundred name "); err != nil {
		t.Fatal(err)
	}
	all := allHives + "|SELECT 4|SELECT 'hundred'|SELECT name FROM hive|SELECT 'Hundred_Percent 100%'"
	soon := time.Now().Add(time.Hour)
	for _, s := range []struct {
		f    work.HistoryFilter
		want string
	}{
		{work.HistoryFilter{}, all},
		{work.HistoryFilter{Text: "HUNDRED"}, "SELECT 'hundred'|SELECT 'Hundred_Percent 100%'"},
		{work.HistoryFilter{Text: "d_p"}, "SELECT 'Hundred_Percent 100%'"},
		{work.HistoryFilter{Text: "0%'"}, "SELECT 'Hundred_Percent 100%'"},
		{work.HistoryFilter{Text: "my hundred name"}, "SELECT 'Hundred_Percent 100%'"},
		{work.HistoryFilter{Text: "name", Kind: "attempt"}, allHives},
		{work.HistoryFilter{Text: "nowhere"}, ""},
		{work.HistoryFilter{Kept: true}, "SELECT 'Hundred_Percent 100%'"},
		{work.HistoryFilter{Kept: true, Text: "hive"}, ""},
		{work.HistoryFilter{Dataset: "yard"}, all},
		{work.HistoryFilter{Dataset: "nothing"}, ""},
		{work.HistoryFilter{Since: soon}, ""},
		{work.HistoryFilter{Until: soon, Kind: "attempt"}, allHives},
	} {
		if got := c.texts(t, s.f); got != s.want {
			t.Errorf("%+v: got %s", s.f, got)
		}
	}
	if err := c.ClearRun(ctx, c.robin, ids[1]); err != nil {
		t.Fatal(err)
	}
	if k := kind(t, c.ClearRun(ctx, c.robin, ids[1])); k != "no-run" {
		t.Errorf("cleared twice: %q", k)
	}
	wren := c.member(t, "wren-searched", account.Learner)
	if k := kind(t, c.KeepEntry(ctx, wren, ids[2], true, "")); k != "no-entry" {
		t.Errorf("another's run is kept: %q", k)
	}
	if n, err := c.ClearRuns(ctx, c.robin, "hives", ""); n != 1 || err != nil {
		t.Errorf("cleared %d, %v", n, err)
	}
	if got := c.texts(t, work.HistoryFilter{}); got != allHives+"|SELECT 4|SELECT 'Hundred_Percent 100%'" {
		t.Errorf("after clearing: %s", got)
	}
	page, err := c.History(ctx, c.hazel(t), work.HistoryFilter{Learner: c.robin.Name, Text: "hundred"})
	if err != nil || len(page.Entries) != 2 || page.Entries[1].Kept || page.Entries[1].Name != "" {
		t.Errorf("their instructor sees %+v, %v", page, err)
	}
}

func TestTextsOfOnesOwn(t *testing.T) {
	c := open(t, "texts")
	made, err := c.AddText(ctx, c.robin, work.NewText{Name: " strong hives ", Dataset: "yard", SQL: strongHives})
	if err != nil || made.Name != "strong hives" || made.Revision != 1 {
		t.Fatalf("%+v, %v", made, err)
	}
	stale := made.Revision - 1
	for _, s := range []struct {
		name, id string
		text     work.NewText
		want     string
	}{
		{"a name twice", "", work.NewText{Name: "strong hives", Dataset: "yard"}, "text-taken"},
		{"no name", "", work.NewText{Name: " ", Dataset: "yard"}, "name"},
		{"no dataset", "", work.NewText{Name: "x", Dataset: "nothing"}, "no-dataset"},
		{"a copy", "", work.NewText{Name: "copy", Dataset: "yard", SQL: strongHives}, ""},
		{"renamed", made.ID, work.NewText{Name: "weak hives", Dataset: "yard", SQL: "SELECT 1"}, ""},
		{"renamed to one there is", made.ID, work.NewText{Name: "copy", Dataset: "yard"}, "text-taken"},
		{"changed elsewhere", made.ID, work.NewText{Name: "x", Dataset: "yard", Revision: &stale}, "text-changed"},
		{"none such", "0", work.NewText{Name: "x", Dataset: "yard"}, "no-text"},
	} {
		if s.id == "" {
			_, err = c.AddText(ctx, c.robin, s.text)
		} else {
			_, err = c.KeepText(ctx, c.robin, s.id, s.text)
		}
		if got := kind(t, err); got != s.want {
			t.Errorf("%s: got %q", s.name, got)
		}
	}
	wren := c.member(t, "wren-texts", account.Learner)
	if k := kind(t, c.RemoveText(ctx, wren, made.ID)); k != "no-text" {
		t.Errorf("another's text is removed: %q", k)
	}
	all, err := c.Texts(ctx, c.robin)
	if err != nil || len(all) != 2 || all[0].Name != "weak hives" || all[0].SQL != "SELECT 1" {
		t.Errorf("%+v, %v", all, err)
	}
	if err := c.RemoveText(ctx, c.robin, made.ID); err != nil {
		t.Error(err)
	}
}

// A paper with one's own answers is one file.
func TestAPaperWithOnesAnswersAsAFile(t *testing.T) {
	c := open(t, "filed")
	if _, err := c.submit(c.robin, "strong", "SELECT name FROM hive"); err != nil {
		t.Fatal(err)
	}
	draft := work.NewDraft{Paper: "hives", Exercise: "all", SQL: "SELECT nme FROM hive"}
	if _, err := c.KeepDraft(ctx, c.robin, draft); err != nil {
		t.Fatal(err)
	}
	for format, wants := range map[string][]string{
		"markdown": {"```sql\nSELECT name FROM hive\n```", "*Incorrect, 0 of 0.2 points*", "\n- ", "| name |", "rows",
			"```sql\nSELECT nme FROM hive\n```", "*Not submitted*", `column "nme" does not exist`},
		"html": {"SELECT name FROM hive</pre>", "Incorrect, 0 of 0.2 points", "<li>", "<th>name</th>", "Not submitted"},
	} {
		got, err := c.File(ctx, c.robin, "hives", format)
		if err != nil {
			t.Fatal(err)
		}
		for _, want := range wants {
			if !strings.Contains(got, want) {
				t.Errorf("%s: no %q in\n%s", format, want, got)
			}
		}
		if strings.Contains(got, allHives) {
			t.Errorf("%s: the reference answer is in it", format)
		}
	}
	page, err := c.History(ctx, c.robin, work.HistoryFilter{Kind: "run"})
	if err != nil || len(page.Entries) != 0 {
		t.Errorf("the history has %+v, %v", page, err)
	}
}

// Runs that are older than they are to be kept go, but for those that somebody keeps; attempts never do.
func TestOldRunsAreForgotten(t *testing.T) {
	c := open(t, "forgotten")
	var ids []string
	for _, sql := range []string{"SELECT 'old'", "SELECT 'old and kept'", "SELECT 'new'"} {
		run, err := c.Run(ctx, c.robin, work.RunRequest{SQL: sql, Paper: "hives"})
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, run.ID)
	}
	if _, err := c.submit(c.robin, "all", allHives); err != nil {
		t.Fatal(err)
	}
	if err := c.KeepEntry(ctx, c.robin, ids[1], true, "a good one"); err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(
		ctx, "UPDATE run SET at = now() - interval '31 days' WHERE id::text = ANY ($1)", ids[:2],
	); err != nil {
		t.Fatal(err)
	}
	if err := work.ForgetRuns(ctx, c.Store, 30*24*time.Hour); err != nil {
		t.Fatal(err)
	}
	if got, want := c.texts(t, work.HistoryFilter{}), allHives+"|SELECT 'new'|SELECT 'old and kept'"; got != want {
		t.Errorf("there are %s, want %s", got, want)
	}
}
