package practice

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// A Copy is a database made of a build's template, with a role of its own, which owns all that is in it and can connect
// to nothing else. SQL that changes something runs in copies (script.go).
type Copy struct {
	Database string
	// Since is the first transaction of the server that can have changed something in it.
	Since int64
}

// templatePrefix begins the names of templates, copyPrefix those of copies.
const (
	templatePrefix = "template_of_"
	copyPrefix     = "copy_"
)

func templateOf(database string) string { return templatePrefix + database }

// roleOf is the role of a copy.
func roleOf(copied string) string { return copyRole + strings.TrimPrefix(copied, copyPrefix) }

// ErrNoCopies tells that a build has no template: it is too large for copies, or of an earlier version.
var ErrNoCopies = errors.New("no copies can be made of the dataset")

// largeTemplate is the size, in bytes, from which files are copied whole: below it, copying the pages through the log
// takes less than the two checkpoints that the other way needs.
const largeTemplate = 48 << 20

// makeTemplate makes a template of a database that its builder has made and nobody else has been in. Where the database
// is too large for copies, it makes none.
func (s *server) makeTemplate(ctx context.Context, builder, database string) error {
	var size int64
	err := s.admin.QueryRow(ctx, "SELECT pg_database_size($1::text)", database).Scan(&size)
	if err != nil || size > s.Limits.Copy {
		return err
	}
	template := templateOf(database)
	if err := s.duplicate(ctx, database, template, size); err != nil {
		return err
	}
	if err := s.onDatabases(ctx, "REVOKE ALL ON DATABASE "+quote(template)+" FROM PUBLIC"); err != nil {
		return err
	}
	if _, err = s.handOver(ctx, builder, template, copiesRole, []string{copiesRole}); err != nil {
		return err
	}
	return s.endSessions(ctx, "datname", template)
}

// duplicate makes a database that is like another of the given size, in bytes.
func (s *server) duplicate(ctx context.Context, from, to string, size int64) error {
	strategy := "wal_log"
	if size >= largeTemplate {
		strategy = "file_copy"
	}
	_, err := s.admin.Exec(ctx, "CREATE DATABASE "+quote(to)+" TEMPLATE "+quote(from)+" STRATEGY "+strategy+
		" OWNER "+ownerRole)
	return s.reach(err)
}

// copies are the copies on a server that this service has made or worked in.
type copies struct {
	server *server
	wake   chan struct{}

	sources sync.RWMutex // held for writing while a session is in a template, for reading while one is copied

	mu       sync.Mutex
	own      map[string]*copied   // by database: those that are in use, or ready
	going    map[string]int       // by database: how often it is being dropped just now
	ready    map[string][]*Copy   // by build: those that nobody uses yet
	needed   map[string]needed    // by build: how many are kept ready
	running  map[string]int       // scripts, by database
	sessions map[windowed]*inCopy // that wait, with a transaction open
}

// copied is what is known of a copy.
type copied struct {
	bytes   int64 // when it was last looked at
	defined bool  // something may have been defined in it
}

// needed says how many copies of a build are to be ready, and until when.
type needed struct {
	copies int
	until  time.Time
}

// keptReady is how many copies of a build in use are ready, and neededFor how long after it was last asked for.
const (
	keptReady = 2
	neededFor = time.Hour
)

func newCopies(s *server) *copies {
	return &copies{
		server:   s,
		wake:     make(chan struct{}, 1),
		own:      map[string]*copied{},
		going:    map[string]int{},
		ready:    map[string][]*Copy{},
		needed:   map[string]needed{},
		running:  map[string]int{},
		sessions: map[windowed]*inCopy{},
	}
}

// warm has copies of a build made ready for who will need them soon.
func (c *copies) warm(database string) {
	c.mu.Lock()
	c.needed[database] = needed{keptReady, time.Now().Add(neededFor)}
	missing := len(c.ready[database]) < keptReady
	c.mu.Unlock()
	if missing {
		c.stir()
	}
}

func (c *copies) stir() {
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

// keep keeps copies ready, as long as the service runs.
func (c *copies) keep(ctx context.Context) {
	for {
		again := time.Minute
		for ctx.Err() == nil {
			database, surplus := c.next()
			if surplus != nil {
				_ = c.drop(ctx, surplus.Database) // what is left is dropped at the next start
				continue
			}
			if database == "" {
				break
			}
			made, err := c.make(ctx, database)
			if errors.Is(err, ErrNoCopies) {
				c.mu.Lock()
				delete(c.needed, database)
				c.mu.Unlock()
				continue
			} else if err != nil {
				again = 5 * time.Second // a full disk, or a server that is away: who needs one now is told
				break
			}
			_, _ = c.server.heldBy(ctx, database) // so that who changes something first need not wait for it
			c.mu.Lock()
			_, still := c.needed[database]
			if still {
				c.ready[database] = append(c.ready[database], made)
			}
			c.mu.Unlock()
			if !still {
				_ = c.drop(ctx, made.Database)
			}
		}
		select {
		case <-c.wake:
		case <-time.After(again):
		case <-ctx.Done():
			return
		}
	}
}

// next finds a build of which a copy is to be made, or a copy that is no longer needed.
func (c *copies) next() (database string, surplus *Copy) {
	c.mu.Lock()
	defer c.mu.Unlock()
	now := time.Now()
	for database, n := range c.needed {
		if n.until.Before(now) {
			delete(c.needed, database)
		}
	}
	for database, ready := range c.ready {
		if len(ready) > c.needed[database].copies {
			c.ready[database] = ready[1:]
			return "", ready[0]
		}
	}
	for database, n := range c.needed {
		if len(c.ready[database]) < n.copies {
			return database, nil
		}
	}
	return "", nil
}

// take gives a copy of a build: one that is ready, or else a new one. The caller must drop it. The error is
// ErrNoCopies, ErrGone, ErrFull, ErrUnavailable or the context's.
func (c *copies) take(ctx context.Context, database string) (*Copy, error) {
	c.warm(database)
	c.mu.Lock()
	if ready := c.ready[database]; len(ready) > 0 {
		c.ready[database] = ready[1:]
		c.mu.Unlock()
		c.stir()
		return ready[0], nil
	}
	c.mu.Unlock()
	return c.make(ctx, database)
}

// dropPatience is how long what was begun of a copy is being dropped, on a server that may be away.
const dropPatience = 5 * time.Second

// make makes a copy of a build. With an error, nothing of it remains.
func (c *copies) make(ctx context.Context, database string) (_ *Copy, err error) {
	var size *int64
	var path *string
	err = c.server.admin.QueryRow(ctx, `SELECT pg_database_size(t.oid), (SELECT substr(o, length('search_path=') + 1)
			FROM pg_db_role_setting AS r, unnest(r.setconfig) AS o
			WHERE r.setdatabase = d.oid AND r.setrole = 0 AND starts_with(o, 'search_path='))
		FROM pg_database AS d LEFT JOIN pg_database AS t ON t.datname = $2 WHERE d.datname = $1`,
		database, templateOf(database),
	).Scan(&size, &path)
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		return nil, fmt.Errorf("%w: %s", ErrGone, database)
	case err != nil:
		return nil, c.server.reach(err)
	case size == nil:
		return nil, ErrNoCopies
	}
	made := &Copy{Database: fmt.Sprintf("%s%d_%s", copyPrefix, c.server.Range(), secret()[:16])}
	password := c.passwordOf(made.Database)
	c.mu.Lock()
	c.own[made.Database] = &copied{bytes: *size}
	c.mu.Unlock()
	defer func() {
		if err != nil {
			dropping, stop := context.WithTimeout(context.WithoutCancel(ctx), dropPatience)
			defer stop()
			err = errors.Join(c.server.reach(err), c.drop(dropping, made.Database)) // swept at another time otherwise
		}
	}()
	c.sources.RLock()
	err = c.server.duplicate(ctx, templateOf(database), made.Database, *size)
	c.sources.RUnlock()
	if err != nil {
		return nil, err
	}
	role, name := quote(roleOf(made.Database)), quote(made.Database)
	sql := "REVOKE ALL ON DATABASE " + name + " FROM PUBLIC" +
		"; CREATE ROLE " + role + " LOGIN INHERIT CONNECTION LIMIT " + strconv.Itoa(mostInCopy) + " PASSWORD '" +
		verifier(password) + "'" + unprivileged + " IN ROLE " + copiesRole +
		setAll(roleOf(made.Database), c.server.roleSettings()) +
		"; GRANT CONNECT, CREATE, TEMPORARY ON DATABASE " + name + " TO " + role
	if path != nil {
		sql += "; ALTER DATABASE " + name + " SET search_path = " + *path
	}
	if err := c.server.onDatabases(ctx, sql); err != nil {
		return nil, err
	}
	err = c.server.admin.QueryRow(
		ctx, "SELECT pg_snapshot_xmax(pg_current_snapshot())::text::bigint",
	).Scan(&made.Since)
	c.server.health.with(made.Database)
	return made, err
}

// mostInCopy is how many sessions a copy may have at once.
const mostInCopy = 8

// drop removes a copy and its role. Whoever works in it is cut off.
func (c *copies) drop(ctx context.Context, copied string) error {
	c.mu.Lock()
	delete(c.own, copied)
	c.going[copied]++
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.going[copied]--; c.going[copied] == 0 {
			delete(c.going, copied)
		}
	}()
	c.leave(copied)
	c.server.health.without(copied)
	_, err := c.server.admin.Exec(ctx, "DROP DATABASE IF EXISTS "+quote(copied)+" WITH (FORCE)")
	if err == nil {
		_, err = c.server.admin.Exec(ctx, "DROP ROLE IF EXISTS "+quote(roleOf(copied)))
	}
	if err != nil {
		return c.server.reach(err) // swept at the next start
	}
	c.server.mu.Lock()
	delete(c.server.types, copied)
	delete(c.server.readable, copied)
	c.server.mu.Unlock()
	c.mu.Lock()
	delete(c.own, copied) // who logged in meanwhile may have noted it again
	c.mu.Unlock()
	return nil
}

// forget drops the copies of a build that nobody uses yet.
func (c *copies) forget(ctx context.Context, database string) error {
	c.mu.Lock()
	ready := c.ready[database]
	delete(c.ready, database)
	delete(c.needed, database)
	c.mu.Unlock()
	var err error
	for _, r := range ready {
		err = cmp.Or(err, c.drop(ctx, r.Database))
	}
	return err
}

// rangeOfCopy is the range in a copy's name: of the service that made it; 0 where there is none.
func rangeOfCopy(database string) int {
	number, _, _ := strings.Cut(strings.TrimPrefix(database, copyPrefix), "_")
	n, _ := strconv.Atoi(number)
	return n
}

// keptBy tells whether a copy is this service's, which may be dropping it, or another's: of one that is alive, or with
// dead false of any.
func (c *copies) keptBy(database string, dead bool) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	of := rangeOfCopy(database)
	return c.own[database] != nil || c.going[database] > 0 || c.server.another(of) || !dead && of != c.server.Range()
}

// keepNamed is [Copies.Keep] on one server.
func (c *copies) keepNamed(ctx context.Context, named []string, dead bool) error {
	all, err := c.server.databasesWith(ctx, copyPrefix)
	if err != nil {
		return c.server.reach(err)
	}
	for _, database := range all {
		if !slices.Contains(named, database) && !c.keptBy(database, dead) {
			err = cmp.Or(err, c.drop(ctx, database))
		}
	}
	rows, _ := c.server.admin.Query(ctx, "SELECT rolname::text FROM pg_roles WHERE starts_with(rolname, $1)", copyRole)
	roles, failed := pgx.CollectRows(rows, pgx.RowTo[string])
	for _, role := range roles { // whose database is gone
		database := copyPrefix + strings.TrimPrefix(role, copyRole)
		if !slices.Contains(all, database) && !c.keptBy(database, dead) {
			err = cmp.Or(err, c.drop(ctx, database))
		}
	}
	return cmp.Or(err, c.server.reach(failed))
}

// keepReadyOnly drops the copies that are ready of builds other than the named ones.
func (c *copies) keepReadyOnly(ctx context.Context, builds []string) error {
	c.mu.Lock()
	var others []string
	for build := range c.needed {
		if !slices.Contains(builds, build) {
			others = append(others, build)
		}
	}
	c.mu.Unlock()
	var err error
	for _, build := range others {
		err = cmp.Or(err, c.forget(ctx, build))
	}
	return err
}

// sizeOf is a copy's size on disk, in bytes.
func (c *copies) sizeOf(ctx context.Context, copied string) (size int64, err error) {
	err = c.server.admin.QueryRow(ctx, "SELECT coalesce(pg_database_size($1::text), 0)", copied).Scan(&size)
	return size, c.server.reach(err)
}

// sizes returns the bytes on disk of all copies, by database.
func (c *copies) sizes(ctx context.Context) (map[string]int64, error) {
	for again := 0; ; again++ {
		rows, _ := c.server.admin.Query(
			ctx, "SELECT datname::text, coalesce(pg_database_size(oid), 0) FROM pg_database "+
				"WHERE starts_with(datname, $1)", copyPrefix,
		)
		sizes := map[string]int64{}
		var database string
		var bytes int64
		_, err := pgx.ForEachRow(rows, []any{&database, &bytes}, func() error {
			sizes[database] = bytes
			return nil
		})
		if state(err) == "3D000" && again < 10 { // one was dropped meanwhile
			continue
		}
		return sizes, c.server.reach(err)
	}
}

// sizeBefore is a copy's size when it was last looked at, in bytes.
func (c *copies) sizeBefore(ctx context.Context, database string) int64 {
	if c.server.shared() {
		size, _ := c.sizeOf(ctx, database)
		return size
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if known := c.own[database]; known != nil {
		return known.bytes
	}
	return 0
}

// hasDefined tells whether something may have been defined in a copy.
func (c *copies) hasDefined(database string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	known := c.own[database]
	return known == nil || known.defined || c.server.shared()
}

// defines notes that something may have been defined in a copy.
func (c *copies) defines(database string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if known := c.own[database]; known != nil {
		known.defined = true
	}
}

// measured notes a copy's size, and returns it.
func (c *copies) measured(database string, bytes int64) int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	if known := c.own[database]; known != nil {
		known.bytes = bytes
	}
	return bytes
}

// busy notes that a script begins in a copy, or ends.
func (c *copies) busy(database string, by int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.running[database] += by; c.running[database] == 0 {
		delete(c.running, database)
	}
}

// has tells whether a copy is there, and not being dropped.
func (c *copies) has(database string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.own[database] != nil
}

// isBusy tells whether somebody works in a copy: a script runs there, or a transaction is open, of any service.
func (c *copies) isBusy(ctx context.Context, copied string) bool {
	c.mu.Lock()
	running := c.running[copied] > 0
	c.mu.Unlock()
	if running {
		return true
	}
	busy := false
	err := c.server.admin.QueryRow(
		ctx, "SELECT EXISTS (SELECT FROM pg_stat_activity WHERE datname = $1 AND usename = $2)", copied, roleOf(copied),
	).Scan(&busy)
	return busy || err != nil
}

// passwordOf is the password of a copy's role, which all services know.
func (c *copies) passwordOf(database string) string {
	h := hmac.New(sha256.New, c.server.Key)
	h.Write([]byte(roleOf(database)))
	return hex.EncodeToString(h.Sum(nil))
}

// note notes a copy that another service has made, or an earlier one.
func (c *copies) note(database string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.own[database] == nil {
		c.own[database] = &copied{defined: true}
	}
}

// renew gives a copy's role its password again: its learner may have changed it.
func (c *copies) renew(ctx context.Context, database string) error {
	_, err := c.server.admin.Exec(
		ctx, "ALTER ROLE "+quote(roleOf(database))+" LOGIN PASSWORD '"+verifier(c.passwordOf(database))+"'",
	)
	if state(err) == "42704" {
		return fmt.Errorf("%w: %s", ErrGone, database)
	}
	return c.server.reach(err)
}
