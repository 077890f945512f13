package work

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"examen/internal/account"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// CopyRoom bounds learners' copies.
type CopyRoom struct {
	Unused  time.Duration // a copy that is not used for so long goes
	Bytes   int64         // on disk, of all copies
	Learner int64         // on disk, of one learner's
}

// A Copy is a learner's own copy of a dataset's build, in which statements that change something run.
type Copy struct {
	Dataset    string
	Build      int // its number among the dataset's builds
	Made, Used time.Time
	Until      time.Time // it is kept, if it is not used
	Bytes      int64     // on disk
	// Changes is what is otherwise in it than in the build, as far as it is committed; nil where that was not asked
	// for.
	Changes *practice.Changes
	// State tells of the transaction that the window's last run left open, Since when it was, and Kept until when it is
	// kept.
	State       practice.State
	Since, Kept time.Time
	// Replaced tells that it was made in place of one of an earlier build, which is gone.
	Replaced bool
}

// Copies are the learners' copies.
type Copies struct {
	work   *Work
	room   CopyRoom
	making singleflight.Group

	mu      sync.Mutex
	changed map[string]changed // by database
}

// changed is what has changed in a copy; nil where that has to be looked at anew, as after each run.
type changed struct {
	runs    int       // that there were
	used    time.Time // when the copy had been used last, by whatever service
	changes *practice.Changes
}

// Copies gives access to the learners' copies.
func (w *Work) Copies() *Copies { return w.copies }

// needed reads a text that may change the dataset, and gives the statements to run in the account's copy, which is nil
// where it has to be made. Nil statements mean that it is to be run on the dataset itself: it is one query, and there
// is no copy.
func (c *Copies) needed(ctx context.Context, who account.Account, at place, request RunRequest) (
	*query.Copy, []sqltext.Statement, error,
) {
	c.work.practice.Copies().Warm(at.database)
	own, err := c.own(ctx, who, at)
	if err != nil {
		return nil, nil, err
	}
	if _, err := c.work.grader.Read(request.SQL); own == nil && err == nil {
		return nil, nil, nil
	}
	statements, err := sqltext.ReadStatements(request.SQL)
	return own, statements, err
}

// own is an account's copy of a build; nil where it has none. One of a build that was lost, and made again since, goes.
func (c *Copies) own(ctx context.Context, who account.Account, at place) (*query.Copy, error) {
	row, err := c.work.records.OwnCopy(ctx, query.OwnCopyParams{AccountID: who.ID, BuildID: at.build})
	switch {
	case records.Missing(err):
		return nil, nil
	case err == nil && row.MadeOf != at.database:
		return nil, c.drop(ctx, row.Database)
	}
	return &row, err
}

// make gives an account a copy of a build: a new one, unless it was made a moment ago. replaced tells that an earlier
// build's had to go for it.
func (c *Copies) make(ctx context.Context, who account.Account, at place) (made *query.Copy, replaced bool, err error) {
	type result struct {
		copied   *query.Copy
		replaced bool
	}
	key := fmt.Sprint(who.ID, " ", at.build)
	flown, err, _ := c.making.Do(key, func() (any, error) {
		ctx := context.WithoutCancel(ctx)
		if own, err := c.own(ctx, who, at); err != nil || own != nil {
			return result{copied: own}, err
		}
		replaced, err := c.dropEarlier(ctx, who, at)
		if err != nil {
			return nil, err
		}
		fresh, err := c.work.practice.Copies().Take(ctx, at.database)
		if err != nil {
			return nil, err
		}
		bytes, err := c.fit(ctx, who, at, fresh.Database)
		var row query.Copy
		if err == nil {
			row, err = c.work.records.CreateCopy(ctx, query.CreateCopyParams{
				AccountID: who.ID, BuildID: at.build, Database: fresh.Database, MadeOf: at.database,
				Since: fresh.Since, Bytes: bytes,
			})
		}
		if err != nil {
			err = errors.Join(err, c.work.practice.Copies().Drop(ctx, fresh.Database))
			if records.Missing(err) { // another replica was as quick
				own, err := c.own(ctx, who, at)
				return result{copied: own}, err
			}
			return nil, err
		}
		return result{&row, replaced}, nil
	})
	if err != nil {
		return nil, false, copyProblem(err)
	}
	r := flown.(result)
	return r.copied, r.replaced, nil
}

// copyProblem says why there is no copy.
func copyProblem(err error) error {
	switch {
	case errors.Is(err, practice.ErrNoCopies):
		return problem.New(409, "no-copies", "The dataset cannot be changed",
			"It is too large to be copied for each learner, or was built by an earlier version of Examen. "+
				"Queries run; tell your instructor.")
	case errors.Is(err, practice.ErrFull):
		return problem.Again(60, "no-room", "There is no room for a copy",
			"Statements that change something run in a copy of the dataset, and the disk has no room for one just "+
				"now. "+
				"Your text is kept; try again in a moment, and tell your instructor if it keeps happening.")
	}
	return err
}

// dropEarlier drops an account's copies of other builds of a dataset.
func (c *Copies) dropEarlier(ctx context.Context, who account.Account, at place) (dropped bool, err error) {
	rows, err := c.work.records.OwnCopies(ctx, who.ID)
	for _, row := range rows {
		if row.Dataset == at.dataset && row.Copy.BuildID != at.build {
			dropped = true
			err = cmp.Or(err, c.drop(ctx, row.Copy.Database))
		}
	}
	return dropped, err
}

// drop drops a copy. What ran in it is in the history.
func (c *Copies) drop(ctx context.Context, database string) error {
	if err := c.work.records.ForgetCopy(ctx, database); err != nil {
		return err
	}
	c.mu.Lock()
	delete(c.changed, database)
	c.mu.Unlock()
	if err := c.work.practice.Copies().Drop(ctx, database); err != nil {
		// it is nobody's now, and goes at a later sweep
		c.work.log.Warn("a copy cannot be dropped", "database", database, "error", err)
	}
	return nil
}

// forget has it looked at anew what has changed in a copy: something was run there.
func (c *Copies) forget(database string) {
	c.mu.Lock()
	c.changed[database] = changed{runs: c.changed[database].runs + 1}
	c.mu.Unlock()
}

// fit makes room for a copy of a build that was just made, and returns how many bytes it takes. The error is
// practice.ErrFull: there is not enough.
func (c *Copies) fit(ctx context.Context, who account.Account, at place, fresh string) (int64, error) {
	sizes, _, err := c.work.practice.Copies().Sizes(ctx)
	if err == nil && total(sizes) > c.room.Bytes { // what others may need later goes first
		err = c.work.practice.Copies().KeepReadyOnly(ctx, []string{at.database})
		if err == nil {
			sizes, _, err = c.work.practice.Copies().Sizes(ctx)
		}
	}
	if err != nil {
		return 0, err
	}
	rows, err := c.work.records.AllCopies(ctx)
	if err != nil {
		return 0, err
	}
	bytes := sizes[fresh]
	all, own, err := c.bound(ctx, rows, sizes, map[int64]int64{who.ID: bytes})
	if err == nil && (all > c.room.Bytes || own[who.ID] > c.room.Learner) {
		err = fmt.Errorf("%w: all copies would take %d MB, and those of the learner %d MB", practice.ErrFull, all>>20,
			own[who.ID]>>20)
	}
	return bytes, err
}

func total(sizes map[string]int64) (bytes int64) {
	for _, size := range sizes {
		bytes += size
	}
	return bytes
}

// bound drops learners' copies until all copies take no more room than they may, and neither do each learner's: those
// used least recently go first, but none in which somebody works. Copies that are ready count, too, and those of
// checks. own are the bytes that a learner takes besides the rows. It returns the bytes that all take then, and each
// learner.
func (c *Copies) bound(
	ctx context.Context, rows []query.AllCopiesRow, sizes map[string]int64, own map[int64]int64,
) (all int64, _ map[int64]int64, err error) {
	all = total(sizes)
	for _, row := range rows {
		own[row.Copy.AccountID] += sizes[row.Copy.Database]
	}
	for _, row := range rows {
		bytes, learner := sizes[row.Copy.Database], row.Copy.AccountID
		tooMany := own[learner] > c.room.Learner && own[learner] > bytes // the last one stays
		if all <= c.room.Bytes && !tooMany || c.work.practice.Copies().Busy(ctx, row.Copy.Database) {
			continue
		}
		if err := c.drop(ctx, row.Copy.Database); err != nil {
			return 0, nil, err
		}
		all -= bytes
		own[learner] -= bytes
	}
	return all, own, nil
}

// Sweep drops copies that were not used for long, or whose build was replaced, those that have grown to more than there
// is room for, and those that belong to nobody; and it keeps copies ready of no other builds than those in use. Of
// several services only the first looks at what is not its own.
func (c *Copies) Sweep(ctx context.Context, first bool) error {
	rows, err := c.work.records.AllCopies(ctx)
	if err != nil {
		return err
	}
	sizes, all, err := c.work.practice.Copies().Sizes(ctx)
	if err != nil {
		return err
	}
	var kept []query.AllCopiesRow
	for _, row := range rows {
		if !first {
			kept = append(kept, row)
			continue
		}
		bytes, there := sizes[row.Copy.Database]
		unused := time.Since(row.Copy.UsedAt) > c.room.Unused && there &&
			!c.work.practice.Copies().Busy(ctx, row.Copy.Database)
		switch {
		case !there && !all: // it may be on a server that is away
		case !there || unused || row.Stale:
			if err := c.drop(ctx, row.Copy.Database); err != nil {
				return err
			}
			continue
		case bytes != row.Copy.Bytes:
			err := c.work.records.MeasureCopy(ctx, query.MeasureCopyParams{Database: row.Copy.Database, Bytes: bytes})
			if err != nil {
				return err
			}
		}
		kept = append(kept, row)
	}
	if first {
		if _, _, err := c.bound(ctx, kept, sizes, map[int64]int64{}); err != nil {
			return err
		}
	}
	var named []string
	for _, row := range kept { // those that went just now are dropped already
		named = append(named, row.Copy.Database)
	}
	if err := c.work.practice.Copies().Keep(ctx, named, first); err != nil {
		return err
	}
	builds, err := c.work.records.DatabasesInUse(ctx)
	if err != nil {
		return err
	}
	var inUse []string
	for _, b := range builds {
		inUse = append(inUse, b.Database)
		inUse = append(inUse, variantDatabases(b.Variants)...)
	}
	return c.work.practice.Copies().KeepReadyOnly(ctx, inUse)
}

// variantDatabases are the databases of a build's variants.
func variantDatabases(variants json.RawMessage) []string {
	var byName map[string]string
	_ = json.Unmarshal(variants, &byName) // written by the library
	return slices.Collect(maps.Values(byName))
}

// sweepEvery is how often copies are swept.
const sweepEvery = time.Minute

// LookAfter sweeps the copies from time to time, until the context ends. first tells whether the service is the first
// of several.
func (c *Copies) LookAfter(ctx context.Context, first func() bool) {
	for {
		if err := c.Sweep(ctx, first()); err != nil && ctx.Err() == nil {
			c.work.log.Warn("copies cannot be swept", "error", err)
		}
		select {
		case <-time.After(sweepEvery):
		case <-ctx.Done():
			return
		}
	}
}

// List lists an account's copies, the one used last first, without what has changed in them.
func (c *Copies) List(ctx context.Context, who account.Account) ([]Copy, error) {
	rows, err := c.work.records.OwnCopies(ctx, who.ID)
	all := []Copy{}
	for _, row := range rows {
		if row.InUse {
			all = append(all, c.describe(&row.Copy, row.Dataset, int(row.Build)))
		}
	}
	return all, err
}

func (c *Copies) describe(row *query.Copy, dataset string, build int) Copy {
	return Copy{
		Dataset: dataset, Build: build, Made: row.MadeAt, Used: row.UsedAt, Until: row.UsedAt.Add(c.room.Unused),
		Bytes: row.Bytes,
	}
}

// Show gives an account's copy of a dataset, with what has changed in it, and how a window of it stands.
func (c *Copies) Show(ctx context.Context, who account.Account, dataset, window string) (*Copy, error) {
	found, err := c.work.library.Readable(ctx, who, dataset)
	if err != nil {
		return nil, err
	}
	at := place{dataset: dataset, build: found.Build, database: found.Database}
	row, err := c.own(ctx, who, at)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.New(404, "no-copy", "You have no copy of the dataset",
			"A copy of %s is made when you run a statement that changes something, where that is allowed.", dataset)
	}
	copied := c.describe(row, dataset, found.Number)
	return &copied, c.look(ctx, &copied, row, at, window)
}

// look adds what has changed in a copy, and how a window of it stands.
func (c *Copies) look(ctx context.Context, copied *Copy, row *query.Copy, at place, window string) error {
	copied.State, copied.Since, copied.Kept = c.work.practice.Copies().Uncommitted(ctx, row.Database, window)
	c.mu.Lock()
	known := c.changed[row.Database]
	c.mu.Unlock()
	if known.changes == nil || !known.used.Equal(row.UsedAt) {
		found, err := c.work.practice.Copies().Changes(ctx, practice.Copy{Database: row.Database, Since: row.Since},
			at.database)
		if errors.Is(err, practice.ErrGone) {
			return errors.Join(c.drop(ctx, row.Database), copyGone(at.dataset))
		} else if err != nil {
			return err
		}
		known.changes, known.used = &found, row.UsedAt
		c.mu.Lock()
		if c.changed[row.Database].runs == known.runs { // otherwise something was run meanwhile
			c.changed[row.Database] = known
		}
		c.mu.Unlock()
	}
	copied.Changes = known.changes
	return nil
}

func copyGone(dataset string) *problem.Problem {
	return problem.New(409, "copy-gone", "Your copy is gone",
		"Your copy of %s was thrown away: it was reset, or its dataset was built anew. "+
			"What you ran is in your history; run it again to have it in a new copy.", dataset)
}

// Reset throws an account's copy of a dataset away. It is made anew at the next statement that changes something.
func (c *Copies) Reset(ctx context.Context, who account.Account, dataset string) error {
	rows, err := c.work.records.OwnCopies(ctx, who.ID)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(rows, func(r query.OwnCopiesRow) bool { return r.Dataset == dataset })
	if at < 0 {
		return problem.New(404, "no-copy", "You have no copy of the dataset", "There is no copy of %.80q to reset.",
			dataset)
	}
	for _, row := range rows[at:] {
		if row.Dataset == dataset {
			if err := c.drop(ctx, row.Copy.Database); err != nil {
				return err
			}
		}
	}
	return nil
}

// AllowChanges lets learners change a dataset wherever they read it, each in a copy of their own, or no longer.
func (c *Copies) AllowChanges(ctx context.Context, who account.Account, dataset string, allowed bool) error {
	if err := who.May(account.Prepare); err != nil {
		return err
	}
	if !records.IsText(dataset) {
		dataset = ""
	}
	n, err := c.work.records.AllowChanges(ctx, query.AllowChangesParams{Name: dataset, Changes: allowed})
	if err == nil && n == 0 {
		err = problem.New(404, "no-dataset", "There is no such dataset", "No dataset is called %q.", dataset)
	}
	c.work.records.Changed(records.PapersChanged)
	return err
}
