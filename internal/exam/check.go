package exam

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/compare"
	"examen/internal/core/dataset"
	"examen/internal/core/explain"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/records/query"
)

// A CheckNote is what is wrong or doubtful in an exercise.
type CheckNote struct {
	Severity Severity    `json:"severity"`
	Kind     string      `json:"kind"`
	Paper    string      `json:"paper,omitempty"`
	Exercise string      `json:"exercise,omitempty"`
	File     string      `json:"file,omitempty"`
	Line     int         `json:"line,omitempty"`
	Sentence string      `json:"sentence"`
	Columns  []string    `json:"columns,omitempty"`
	Rows     [][]*string `json:"rows,omitempty"`
}

// Severity tells errors, which make marks wrong or an exercise useless, from doubts, and from what is good to know.
type Severity string

const (
	SeverityError   Severity = "error"
	SeverityWarning Severity = "warning"
	SeverityNote    Severity = "note"
)

// Kinds of notes.
const (
	noteUnreadable    = "pack-unreadable"
	noteDoesNotRun    = "answer-does-not-run"
	noteContradictory = "rules-contradict"
	noteBreaksRule    = "answer-breaks-rule"
	noteTieCut        = "tie-cut"
	noteLimitNoOrder  = "limit-without-order"
	noteUndecided     = "order-undecided"
	noteChanging      = "result-changes"
	noteUnstable      = "result-unstable"
	noteEmpty         = "result-empty"
	noteUntested      = "data-do-not-test"
	noteLink          = "link-broken"
	noteDisagrees     = "also-disagrees"
	noteType          = "type-by-text"
	noteDigits        = "digits-count"
	noteExample       = "example-does-not-run"
	noteDictionary    = "dictionary-unknown"
)

// A CheckReport is what checking the exercises of a paper or a pack came to.
type CheckReport struct {
	Exercises int         `json:"exercises"`
	Notes     []CheckNote `json:"notes"`
}

// Count is how many notes there are of a severity.
func (r *CheckReport) Count(severity Severity) int {
	n := 0
	for _, note := range r.Notes {
		if note.Severity == severity {
			n++
		}
	}
	return n
}

// CheckPaper checks the exercises of a loaded paper on its dataset in use and every variant.
func (s *Service) CheckPaper(ctx context.Context, who account.Account, slug string) (*CheckReport, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	p, err := s.paper(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	rows, err := s.records.PaperExercises(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	sections, err := s.records.PaperSections(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	i := &inspection{Service: s, report: &CheckReport{Notes: []CheckNote{}}, schema: s.schema(ctx, p.Dataset)}
	if err := i.places(p.Database, p.Variants); err != nil {
		return nil, err
	}
	text := &pack.Paper{Slug: p.Slug}
	if err := json.Unmarshal(sections, &text.Sections); err != nil {
		return nil, err
	}
	for _, row := range rows {
		e := &pack.Exercise{Slug: row.Slug, Title: row.Title, Number: int(row.Number), Reference: row.Reference}
		if err := errors.Join(json.Unmarshal(row.Checking, &e.Checking), json.Unmarshal(row.Blocks, &e.Blocks)); err != nil {
			return nil, err
		}
		for n := range text.Sections {
			if text.Sections[n].Slug == row.Slug {
				text.Sections[n].Exercise = e
			}
		}
	}
	targets, err := s.linkTargets(ctx)
	if err != nil {
		return nil, err
	}
	i.paper = text
	i.links(targets, nil)
	return i.report, i.exercises(ctx)
}

// linkTargets are the slugs of the exercises of every loaded paper, by the paper's.
func (s *Service) linkTargets(ctx context.Context) (map[string][]string, error) {
	rows, err := s.records.LinkTargets(ctx)
	targets := map[string][]string{}
	for _, row := range rows {
		targets[row.Slug] = row.Exercises
	}
	return targets, err
}

// slugs are those of a paper's exercises.
func slugs(p *pack.Paper) []string {
	var all []string
	for _, e := range p.Exercises() {
		all = append(all, e.Slug)
	}
	return all
}

// checkPack builds a pack's datasets, checks its exercises on them, and removes them again.
func (w *working) checkPack(ctx context.Context) (*JobReport, error) {
	defer func() { w.drop(context.WithoutCancel(ctx), w.databases) }()
	report := &CheckReport{Notes: []CheckNote{}}
	p, wrong := pack.Read(w.files)
	for _, e := range wrong {
		report.Notes = append(report.Notes, CheckNote{Severity: SeverityError, Kind: noteUnreadable, File: e.File, Line: e.Line, Sentence: e.Detail})
	}
	if wrong == nil {
		w.name = p.Name
		if err := w.records.NameJob(ctx, query.NameJobParams{ID: w.id, Worker: &w.worker, Name: p.Name}); err != nil {
			return nil, err
		}
		if err := w.inspect(ctx, p, report); err != nil {
			return nil, err
		}
	}
	made := &JobReport{Check: report}
	if p != nil {
		made.Pack, made.Title = p.Name, p.Title
	}
	return made, w.store(ctx, made, storeNothing)
}

func (w *working) inspect(ctx context.Context, p *pack.Pack, report *CheckReport) error {
	l := &loading{working: w, pack: p, builds: map[string]*built{}}
	for _, d := range p.Datasets {
		b, err := l.build(ctx, d)
		if err != nil {
			return err
		}
		report.Notes = append(report.Notes, strangers(d, b.made.Catalogue)...)
	}
	targets, err := w.linkTargets(ctx)
	if err != nil {
		return err
	}
	for n := range p.Papers {
		targets[p.Papers[n].Slug] = slugs(&p.Papers[n])
	}
	for n := range p.Papers {
		paper := &p.Papers[n]
		w.step("Checking the exercises of "+paper.Slug, 0)
		i := &inspection{Service: w.Service, paper: paper, report: report}
		if b := l.builds[paper.Dataset]; b != nil {
			variants, _ := json.Marshal(b.variants)
			if err := i.places(b.database, variants); err != nil {
				return err
			}
			i.schema = schemaOf(b.made.Catalogue)
		} else {
			row, err := w.records.CurrentBuild(ctx, paper.Dataset)
			if err != nil {
				i.note(nil, SeverityError, noteUnreadable, fmt.Sprintf("The paper's dataset %q is neither in the pack nor loaded already.", paper.Dataset))
				continue
			}
			if err := i.places(row.Build.Database, row.Build.Variants); err != nil {
				return err
			}
			i.schema = w.schema(ctx, paper.Dataset)
		}
		i.links(targets, w.files)
		if err := i.exercises(ctx); err != nil {
			return err
		}
	}
	return nil
}

// inspection is the check of one paper's exercises.
type inspection struct {
	*Service
	paper    *pack.Paper
	build    string            // database
	variants map[string]string // databases
	schema   sqltext.Schema
	report   *CheckReport
}

func (i *inspection) places(build string, variants json.RawMessage) error {
	i.build = build
	return json.Unmarshal(variants, &i.variants)
}

func (i *inspection) note(e *pack.Exercise, severity Severity, kind, sentence string) *CheckNote {
	n := CheckNote{Severity: severity, Kind: kind, Paper: i.paper.Slug, File: i.paper.Path, Sentence: sentence}
	if e != nil {
		n.Exercise, n.Line = e.Slug, e.Line
	}
	i.report.Notes = append(i.report.Notes, n)
	return &i.report.Notes[len(i.report.Notes)-1]
}

// withRows adds rows to a note as evidence.
func (n *CheckNote) withRows(columns []result.Column, rows []result.Row) {
	for _, c := range columns {
		n.Columns = append(n.Columns, c.Name)
	}
	for _, row := range rows[:min(len(rows), compare.EvidenceRows)] {
		n.Rows = append(n.Rows, explain.Cells(row, 200))
	}
}

// links checks that links to exercises and papers lead somewhere. files, where they are at hand, tell the line.
func (i *inspection) links(targets map[string][]string, files fs.FS) {
	for _, target := range i.paper.Links() {
		paper, exercise, _ := strings.Cut(target, "#")
		exercises, loaded := targets[paper]
		if paper == "" {
			exercises, loaded = slugs(i.paper), true
		}
		sentence := ""
		switch {
		case !loaded:
			sentence = fmt.Sprintf("The link to %s leads nowhere: there is no paper of that slug, neither in the pack nor loaded.", target)
		case exercise != "" && !slices.Contains(exercises, exercise):
			sentence = fmt.Sprintf("The link to %s leads nowhere: the paper has no exercise of that slug.", target)
		default:
			continue
		}
		n := i.note(nil, SeverityError, noteLink, sentence)
		if files == nil {
			continue
		}
		content, _ := fs.ReadFile(files, i.paper.Path)
		if before, _, found := strings.Cut(string(content), "]("+target); found {
			n.Line = strings.Count(before, "\n") + 1
		}
	}
}

// strangers are the entries of a dataset's dictionary for tables and columns that it does not have.
func strangers(d pack.Dataset, catalogue dataset.Catalogue) (notes []CheckNote) {
	add := func(line int, sentence string, args ...any) {
		notes = append(notes, CheckNote{Severity: SeverityWarning, Kind: noteDictionary, File: d.DictionaryFile, Line: line, Sentence: fmt.Sprintf(sentence, args...)})
	}
	for _, name := range slices.Sorted(maps.Keys(d.Dictionary)) {
		meaning, table := d.Dictionary[name], catalogue.Table(name)
		if table == nil {
			add(meaning.Line, "The dictionary tells of %s, and the dataset %s has no such table.", name, d.Name)
			continue
		}
		for _, column := range slices.Sorted(maps.Keys(meaning.Columns)) {
			if table.Column(column) == nil {
				add(meaning.Line, "The dictionary tells of %s.%s, and the table has no such column.", name, column)
			}
		}
	}
	return notes
}

// examples runs the paper's examples.
func (i *inspection) examples(ctx context.Context) error {
	for _, section := range i.paper.Sections {
		blocks := section.Blocks
		if section.Exercise != nil {
			blocks = section.Exercise.Blocks
		}
		for _, block := range blocks {
			if block.Kind != "example" {
				continue
			}
			q, err := i.readQuery(block.Text)
			if err == nil {
				_, err = i.practice.Run(ctx, practice.Run{Database: i.build, Checking: true, SQL: q.Text}, &collector{})
			}
			if err == nil {
				continue
			}
			reason := ofQuery(err)
			if reason == nil {
				return err
			}
			what := reason.Title
			if reason.Type == "examen:limit" || reason.Type == "examen:not-a-query" {
				what = reason.Detail
			}
			first, _, _ := strings.Cut(block.Text, "\n")
			note := i.note(section.Exercise, SeverityError, noteExample, fmt.Sprintf("The example %q does not run: %s", sqltext.Shorten(first, 60), what))
			if note.Line = block.Line; reason.Place != nil && block.Line > 0 {
				note.Line += reason.Place.Line - 1
			}
		}
	}
	return nil
}

func (i *inspection) exercises(ctx context.Context) error {
	if err := i.examples(ctx); err != nil {
		return err
	}
	for _, e := range i.paper.Exercises() {
		i.report.Exercises++
		if err := i.exercise(ctx, e); err != nil {
			return err
		}
	}
	return nil
}

// exercise checks one exercise. An error means that it could not be checked.
func (i *inspection) exercise(ctx context.Context, e *pack.Exercise) error {
	for _, c := range sqltext.Contradictions(e.Checking.Require, e.Checking.Forbid) {
		i.note(e, SeverityError, noteContradictory, "The check contradicts itself: it "+c+".")
	}
	for n, sql := range append([]string{e.Reference}, e.Checking.Also...) {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			i.note(e, SeverityError, noteDoesNotRun, answerNumber(n)+" cannot be read: "+err.Error())
			return nil
		}
		for _, rule := range q.Broken(e.Checking.Require, e.Checking.Forbid) {
			word := "forbids"
			if rule.Required {
				word = "requires"
			}
			i.note(e, SeverityError, noteBreaksRule, fmt.Sprintf("%s breaks the check's own rule: it %s %s.", answerNumber(n), word, rule.Construct))
		}
		for _, what := range q.Changing() {
			i.note(e, SeverityError, noteChanging, fmt.Sprintf("%s uses %s: its result changes from one day, or one call, to the next.", answerNumber(n), what))
		}
	}
	for _, place := range append([]string{""}, slices.Sorted(maps.Keys(i.variants))...) {
		if place != "" && e.Checking.Variants != nil && !slices.Contains(*e.Checking.Variants, place) {
			continue
		}
		if runs, err := i.on(ctx, e, place); err != nil || !runs {
			return err
		}
	}
	return nil
}

func answerNumber(n int) string {
	if n == 0 {
		return "The reference answer"
	}
	return fmt.Sprintf("The answer %d under also", n)
}

// onPlace says where something holds: on a variant; nothing for the build.
func onPlace(place string) string {
	if place == "" {
		return ""
	}
	return " on the variant " + place
}

// on checks an exercise on the build ("") or a variant. runs is false where its answer does not run there.
func (i *inspection) on(ctx context.Context, e *pack.Exercise, place string) (runs bool, err error) {
	database := i.build
	if place != "" {
		database = i.variants[place]
	}
	ref, err := i.references.get(ctx, e.Reference, database)
	if err != nil {
		return false, i.doesNotRun(e, 0, place, err)
	}
	q, _ := sqltext.ReadQuery(e.Reference) // it was read before
	switch {
	case ref.count == 0 && place == "":
		i.note(e, SeverityError, noteEmpty, "The reference answer's result is empty: every query without rows would be right.")
	case ref.count == 0:
		i.note(e, SeverityWarning, noteEmpty, fmt.Sprintf("The reference answer's result is empty%s.", onPlace(place)))
	}
	if place == "" {
		i.order(e, ref)
		i.types(e, ref)
	}
	if err := i.stable(ctx, e, q, place, database); err != nil {
		return true, err
	}
	if err := i.also(ctx, e, place, database); err != nil || place != "" || ref.count == 0 {
		return true, err
	}
	return true, i.tested(ctx, e, q)
}

// doesNotRun notes an answer that fails or reaches a limit. It returns an error that is not the answer's.
func (i *inspection) doesNotRun(e *pack.Exercise, n int, place string, err error) error {
	reason := ofQuery(err)
	if reason == nil {
		return err
	}
	what := reason.Title
	if reason.Type == "examen:limit" {
		what = reason.Detail
	}
	note := i.note(e, SeverityError, noteDoesNotRun, fmt.Sprintf("%s does not run%s: %s", answerNumber(n), onPlace(place), what))
	if reason.Place != nil && n == 0 && note.Line > 0 {
		note.Line += reason.Place.Line - 1
	}
	return nil
}

// order checks that the order, and what LIMIT lets through, is decided.
func (i *inspection) order(e *pack.Exercise, ref *reference) {
	strict := e.Checking.Policy.Order == compare.OrderStrict
	plan, _ := compare.NewPlan(compare.Policy{Decimals: e.Checking.Policy.Decimals}, ref.Reference, ref.Columns)
	if plan == nil || !ref.kept {
		return
	}
	switch {
	case ref.Window != nil && !ref.Ordered && plan.Cut(ref.rows) != nil:
		i.note(e, SeverityWarning, noteLimitNoOrder, "LIMIT without ORDER BY: which rows come is not decided, and any choice of them counts as right.")
	case ref.Window != nil:
		if cut := plan.Cut(ref.rows); cut != nil {
			i.note(e, SeverityWarning, noteTieCut, fmt.Sprintf("LIMIT cuts through rows that tie: of these %d any choice counts as right. Order by a further column, or take the ties in with FETCH FIRST ... WITH TIES.", len(cut))).withRows(ref.Columns, cut)
		}
	}
	if !strict {
		return
	}
	if !ref.Ordered {
		i.note(e, SeverityError, noteUndecided, "The check wants the strict order, but the reference answer has no ORDER BY.")
	} else if ties := plan.Ties(ref.rows); ties != nil {
		i.note(e, SeverityError, noteUndecided, "The check wants the strict order, but the reference answer's ORDER BY leaves these rows in any order.").withRows(ref.Columns, ties)
	}
}

func (i *inspection) types(e *pack.Exercise, ref *reference) {
	for _, c := range ref.Columns {
		switch p := c.Precision; {
		case c.Type.Name == "numeric" && p.Real:
			i.note(e, SeverityNote, noteDigits, fmt.Sprintf("The column %s comes of numbers of type real: 6 significant digits of it count.", c.Name))
		case c.Type.Name == "numeric" && p.Quotient && e.Checking.Policy.Decimals == nil:
			i.note(e, SeverityNote, noteDigits, fmt.Sprintf("The column %s comes of a division, an average or a float: 12 significant digits of it count. Where fewer are asked for, say so with decimals.", c.Name))
		}
		if !c.Type.Known() {
			i.note(e, SeverityWarning, noteType, fmt.Sprintf("The column %s is of type %s, whose values are compared by their text.", c.Name, c.Type.Name))
		}
	}
}

// plans are planner settings under which the database gets to a result in other ways.
var plans = [][]string{
	{"enable_hashjoin = off", "enable_hashagg = off", "enable_indexscan = off", "enable_indexonlyscan = off", "enable_bitmapscan = off"},
	{"enable_seqscan = off", "enable_nestloop = off", "enable_mergejoin = off", "enable_sort = off"},
}

// stable runs the answer under other plans: its result has to be right under each.
func (i *inspection) stable(ctx context.Context, e *pack.Exercise, q *sqltext.Query, place, database string) error {
	for _, plan := range plans {
		v := i.viewing(e, database)
		v.planner = plan
		right, err := v.verdict(ctx, q)
		var stopped *practice.Stopped
		switch {
		case errors.As(err, &stopped): // the other plan takes too long: it says nothing
		case err != nil:
			return i.doesNotRun(e, 0, place, err)
		case !right:
			n := i.note(e, SeverityError, noteUnstable, fmt.Sprintf("The reference answer gives other rows%s when the database works it out in another way: its result is not decided (does a window function, DISTINCT ON, string_agg or an inner LIMIT depend on an order that leaves ties?).", onPlace(place)))
			if v.difference != nil && len(v.difference.Findings) > 0 {
				n.Columns = v.difference.Findings[0].Columns
				for _, row := range v.difference.Findings[0].Rows {
					n.Rows = append(n.Rows, explain.Cells(row, 200))
				}
			}
			return nil
		}
	}
	return nil
}

// also tells where further answers have other results than the first. They are meant to: what agrees needs no further answer.
func (i *inspection) also(ctx context.Context, e *pack.Exercise, place, database string) error {
	for n, sql := range e.Checking.Also {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			continue // said already
		}
		v := i.viewing(e, database)
		right, err := v.verdict(ctx, q)
		if err != nil {
			if err := i.doesNotRun(e, n+1, place, err); err != nil {
				return err
			}
			continue
		}
		if !right {
			sentence := fmt.Sprintf("%s has another result than the reference answer%s: either one counts as right.", answerNumber(n+1), onPlace(place))
			note := i.note(e, SeverityNote, noteDisagrees, sentence)
			if v.difference != nil && len(v.difference.Findings) > 0 {
				f := explain.Difference(v.difference.Findings[0], explain.ToldRows)
				note.Sentence += " " + f.Sentence
				note.Columns, note.Rows = f.Columns, f.Rows
			}
		}
	}
	return nil
}

// tested runs the answer without each of its conditions: where that is right too, on the build and all variants, the data do not test what the
// task asks.
func (i *inspection) tested(ctx context.Context, e *pack.Exercise, q *sqltext.Query) error {
	for _, weak := range q.Weakenings(i.schema) {
		if weak.What == sqltext.OrderBy && e.Checking.Policy.Order == compare.OrderAny {
			continue
		}
		weaker, err := sqltext.ReadQuery(weak.SQL)
		if err != nil {
			continue
		}
		everywhere := true
		for _, place := range append([]string{""}, slices.Sorted(maps.Keys(i.variants))...) {
			if place != "" && e.Checking.Variants != nil && !slices.Contains(*e.Checking.Variants, place) {
				continue
			}
			database := i.build
			if place != "" {
				database = i.variants[place]
			}
			v := i.viewing(e, database)
			v.variant = true // how it differs does not matter
			right, err := v.verdict(ctx, weaker)
			if err != nil && ofQuery(err) == nil {
				return err
			}
			if everywhere = err == nil && right; !everywhere {
				break
			}
		}
		if everywhere {
			i.note(e, SeverityWarning, noteUntested, fmt.Sprintf("Without %s the result is the same, on every build: the data do not test it. A variant whose rows tell the difference would.", weak.What))
		}
	}
	return nil
}

// viewing is for holding a query against the exercise's reference answer alone.
func (i *inspection) viewing(e *pack.Exercise, database string) *viewing {
	rules := e.Checking
	rules.Also = nil
	c := &check{Service: i.Service, exercise: query.Exercise{Reference: e.Reference}, rules: rules}
	v := c.viewing(database, false)
	v.checking = true
	return v
}
