package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"examen/internal/client"
	"examen/internal/core/answers"
)

// submitPaper submits a file of answers to a whole paper.
func (p *program) submitPaper(ctx context.Context, c *client.Client, slug string, args []string) error {
	text, err := p.query(args)
	if err != nil {
		return err
	}
	all, err := answers.Read(slug, text)
	if err != nil {
		return usageError{err}
	}
	paper, err := client.Read[client.Paper](c.GetPaper(ctx, slug))
	if err != nil {
		return err
	}
	exercises := make([]client.Exercise, len(all)) // those answered; all are found before anything is submitted
	for i, a := range all {
		if exercises[i] = exerciseOf(paper, a.Exercise); exercises[i].Slug == "" {
			return usageError{fmt.Errorf("line %d: %s has no exercise %s; examen paper show %s lists them",
				a.Line-1, slug, a.Exercise, slug)}
		}
	}
	attempts := []client.Attempt{}
	var lines [][]string
	correct := true
	for i, a := range all {
		e := exercises[i]
		line := []string{fmt.Sprintf("%d. %s", e.Number, e.Title), "not answered", "", ""}
		if a.SQL != "" {
			attempt, said, err := p.submitPart(ctx, c, e, a)
			if err != nil {
				return errors.Join(err, p.printAttempts(attempts, lines)) // what was submitted is told in any case
			}
			attempts = append(attempts, attempt)
			if line = []string{line[0], "received", "told later", said}; !attempt.Untold {
				line[1], line[2] = string(attempt.Outcome), attempt.Mark.String()
			}
		}
		correct = correct && (line[1] == string(client.Correct) || line[1] == "received")
		lines = append(lines, line)
	}
	if err := p.printAttempts(attempts, lines); err != nil {
		return err
	}
	if !correct {
		return errNotCorrect
	}
	return nil
}

// exerciseOf finds an exercise by its slug or number.
func exerciseOf(paper client.Paper, address string) client.Exercise {
	for _, s := range paper.Sections {
		if e := s.Exercise; e.Slug != "" && (e.Slug == address || fmt.Sprint(e.Number) == address) {
			return e
		}
	}
	return client.Exercise{}
}

// submitPart submits one answer, and says in a line what came of it. What was submitted last is not submitted again.
func (p *program) submitPart(ctx context.Context, c *client.Client, e client.Exercise, a answers.Answer) (
	attempt client.Attempt, said string, err error,
) {
	if attempt = e.Latest; strings.TrimSpace(attempt.Sql) != a.SQL {
		attempt, err = client.Read[client.Attempt](c.Submit(ctx, e.Paper, e.Slug, client.Submission{Sql: a.SQL}))
		if err != nil {
			return attempt, "", fmt.Errorf("%s/%s: %w", e.Paper, e.Slug, err)
		}
		p.addCause(ctx, c, &attempt)
	} else {
		said = "as submitted before"
	}
	switch {
	case attempt.Error.Title != "" && attempt.Error.Place.Line > 0:
		said = fmt.Sprintf("line %d: %s", a.Line-1+attempt.Error.Place.Line, attempt.Error.Title)
	case attempt.Error.Title != "":
		said = attempt.Error.Title
	case len(attempt.Findings) > 0:
		said = attempt.Findings[0].Sentence
	}
	return attempt, said, nil
}

func (p *program) printAttempts(attempts []client.Attempt, lines [][]string) error {
	return p.print(attempts, []string{"exercise", "outcome", "mark", "finding"}, lines)
}
