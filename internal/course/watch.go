package course

import (
	"context"
	"sync"
	"time"

	"examen/internal/account"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A ProgressChange is a cell of a grid that has changed.
type ProgressChange struct {
	Learner, Course, Exercise string
	Cell                      Standing

	course int64
}

// MayWatch returns the problem of an account that may not watch a paper's grid.
func (f Following) MayWatch(ctx context.Context, who account.Account, paper, course string) error {
	_, err := followed(who, course)
	if err == nil {
		_, err = f.paper(ctx, who, paper)
	}
	return err
}

// Watch calls each with the cells of a grid that change, as they do, until the context ends or each returns an error.
// Called with nil, anything may have changed: the grid is to be asked for again. It begins with that.
func (f Following) Watch(
	ctx context.Context, who account.Account, paperSlug, courseSlug string, each func([]ProgressChange) error,
) error {
	p, err := f.paper(ctx, who, paperSlug)
	if err != nil {
		return err
	}
	members, stop := f.records.Hear(records.MembersChanged, records.PapersChanged, records.SetsChanged)
	defer stop()
	w := f.watches.join(f.records, p.ID)
	defer f.watches.leave(p.ID, w)
	w.tell(nil)
	var courses map[int64]bool
	for {
		select {
		case <-members: // also what the account may follow
			if who, err = f.accounts.ByName(ctx, who.Name); err != nil {
				return err
			}
			courses = nil
			w.tell(nil)
		case <-w.told:
			if courses == nil {
				numbers, err := followed(who, courseSlug)
				if err != nil {
					return err
				}
				courses = map[int64]bool{}
				for _, number := range numbers {
					courses[number] = true
				}
			}
			changes, any := w.take(courses)
			if len(changes) == 0 && !any {
				continue
			}
			if err := each(changes); err != nil {
				return err
			}
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

// watches are the papers that are watched. However many watch one, its changes are heard and read once.
type watches struct {
	mu sync.Mutex
	of map[int64]*watch
}

// watch is a paper that is watched.
type watch struct {
	watchers map[*watcher]struct{}
	stop     func()
}

// watcher is who watches a paper, with what it has not been told yet.
type watcher struct {
	told chan struct{}

	mu      sync.Mutex
	changes []ProgressChange
	any     bool
}

// mostWaiting is how many changes wait for a watcher who takes them slowly; of more it is told that there are any.
const mostWaiting = 5000

// tell tells of changes; of nil, that anything may have changed.
func (w *watcher) tell(changes []ProgressChange) {
	w.mu.Lock()
	w.changes = append(w.changes, changes...)
	if w.any = w.any || changes == nil || len(w.changes) > mostWaiting; w.any {
		w.changes = nil
	}
	w.mu.Unlock()
	select {
	case w.told <- struct{}{}:
	default:
	}
}

// take returns what has changed in some courses.
func (w *watcher) take(courses map[int64]bool) (changes []ProgressChange, any bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, c := range w.changes {
		if courses[c.course] {
			changes = append(changes, c)
		}
	}
	any = w.any
	w.changes, w.any = nil, false
	return changes, any
}

func (all *watches) join(store *records.Store, paper int64) *watcher {
	w := &watcher{told: make(chan struct{}, 1)}
	all.mu.Lock()
	defer all.mu.Unlock()
	if all.of[paper] == nil {
		ctx, cancel := context.WithCancel(context.Background())
		all.of[paper] = &watch{watchers: map[*watcher]struct{}{}, stop: cancel}
		ear, deaf := store.HearStandings(paper)
		go func() {
			defer deaf()
			all.follow(ctx, store, paper, ear)
		}()
	}
	all.of[paper].watchers[w] = struct{}{}
	return w
}

func (all *watches) leave(paper int64, w *watcher) {
	all.mu.Lock()
	defer all.mu.Unlock()
	delete(all.of[paper].watchers, w)
	if len(all.of[paper].watchers) == 0 {
		all.of[paper].stop()
		delete(all.of, paper)
	}
}

// lookAgain is after how long anything may have changed: should a replica have ended before it told of a change, it is
// seen no later.
const lookAgain = time.Minute

// follow tells all who watch a paper of its changes.
func (all *watches) follow(ctx context.Context, store *records.Store, paper int64, ear *records.StandingsEar) {
	again := time.NewTicker(lookAgain)
	defer again.Stop()
	for {
		var changes []ProgressChange
		select {
		case <-ear.Heard:
			heard := ear.Take()
			if !heard.Any {
				changes = standingsNow(ctx, store, heard)
			}
		case <-again.C:
		case <-ctx.Done():
			return
		}
		all.mu.Lock()
		if of := all.of[paper]; of != nil {
			for w := range of.watchers {
				w.tell(changes)
			}
		}
		all.mu.Unlock()
	}
}

// standingsNow reads standings that have changed; where they cannot be read, it returns nil.
func standingsNow(ctx context.Context, store *records.Store, heard records.Changes) []ProgressChange {
	var params query.StandingsNowParams
	for k := range heard.Keys {
		params.Accounts = append(params.Accounts, k.Account)
		params.Exercises = append(params.Exercises, k.Exercise)
		params.Courses = append(params.Courses, k.Course)
	}
	rows, err := store.StandingsNow(ctx, params)
	if err != nil {
		return nil
	}
	changes := []ProgressChange{}
	for _, row := range rows {
		changes = append(changes, ProgressChange{
			Learner: row.Name, Course: row.Course, Exercise: row.Exercise, Cell: standingOf(row.Standing),
			course: *row.Standing.CourseID,
		})
	}
	return changes
}
