package practice

import (
	"context"
	"crypto/hmac"
	"crypto/pbkdf2"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Roles that stay. None of them can log in: who may do so is a seat, or a role made for one purpose and dropped after
// it.
const (
	learnersRole = "examen_learners" // may connect to datasets and read them
	checkersRole = "examen_checkers" // may connect to variants too
	readersRole  = "examen_readers"  // may read what a build holds, once it can connect to it
	builderRole  = "examen_builder"  // may use, while setup scripts run, the functions that are closed to others
	ownerRole    = "examen_owner"    // owns what setup scripts made, once they have run
	copiesRole   = "examen_copies"   // owns the same in templates, and so in the copies made of them
)

// copyRole begins the names of the roles that copies have, each its own: such a role can connect to its copy alone.
const copyRole = "examen_copy_"

// passingRole begins the names of roles that are made for one purpose.
const passingRole = "examen_for_"

// unprivileged is said of every role, lest an existing one keeps more.
const unprivileged = " NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION NOBYPASSRLS"

// ensureRole creates a role unless it exists, and sets its options in either case.
func ensureRole(ctx context.Context, conn *pgx.Conn, name, options string) error {
	var there bool
	if err := conn.QueryRow(
		ctx, `SELECT EXISTS (SELECT FROM pg_roles WHERE rolname = $1)`, name,
	).Scan(&there); err != nil {
		return err
	}
	verb := "CREATE"
	if there {
		verb = "ALTER"
	}
	if _, err := conn.Exec(ctx, verb+" ROLE "+quote(name)+" "+options+unprivileged); err != nil {
		return fmt.Errorf("role %s: %w", name, err)
	}
	return nil
}

// checkRights returns an error if a role as which learners' SQL runs is a member of a role that Examen does not make it
// a member of: somebody has given it more, and what it could then do nobody knows.
func (s *server) checkRights(ctx context.Context, conn *pgx.Conn) error {
	rows, err := conn.Query(ctx, `
		SELECT format('%I is a member of %I', seat.rolname, other.rolname)
		FROM pg_roles AS seat
		JOIN (VALUES ('^' || $1 || '_\d+_\d+$', $2), ('^' || $3 || '_\d+_\d+$', $4),
			('^(' || $2 || '|' || $4 || '|' || $5 || '|' || $6 || ')$', '')) AS ours(pattern, own)
			ON seat.rolname ~ ours.pattern
		JOIN pg_roles AS other
			ON other.oid <> seat.oid AND other.rolname <> ours.own AND pg_has_role(seat.oid, other.oid, 'MEMBER')
		ORDER BY 1 LIMIT 4`,
		s.learners.prefix, learnersRole, s.checkers.prefix, checkersRole, readersRole, copiesRole)
	if err != nil {
		return err
	}
	more, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err == nil && len(more) > 0 {
		return fmt.Errorf(
			"the roles as which learners' SQL runs have more rights than Examen gives them: %s; take that away "+
				"(REVOKE role FROM member), or name a server of Examen's own", strings.Join(more, ", "),
		)
	}
	return err
}

// asRole runs f in a session of a new role, which is a member of the given roles and may connect to one database. The
// role has only the rights of those roles. It is dropped afterwards, together with its sessions.
func (s *server) asRole(
	ctx context.Context, purpose, database string, memberOf []string, f func(*pgx.Conn) error,
) error {
	return s.lendRole(ctx, purpose, database, memberOf, func(role, password string) error {
		conn, err := s.connect(ctx, role, password, database)
		if err != nil {
			return s.reach(err)
		}
		defer func() { conn.Close(context.WithoutCancel(ctx)) }()
		err = f(conn)
		if err != nil && conn.IsClosed() && ctx.Err() == nil { // the server went away
			return fmt.Errorf("%w: %v", ErrUnavailable, err)
		}
		return err
	})
}

// lendRole calls f with such a role and its password.
func (s *server) lendRole(
	ctx context.Context, purpose, database string, memberOf []string, f func(role, password string) error,
) error {
	role, password, err := s.makeRole(ctx, purpose, memberOf)
	if err != nil {
		return err
	}
	defer func() {
		if drop := func() { s.dropRole(context.WithoutCancel(ctx), role, database) }; ctx.Err() != nil {
			go drop() // the server may be away
		} else {
			drop()
		}
	}()
	if err := s.onDatabases(ctx, "GRANT CONNECT ON DATABASE "+quote(database)+" TO "+quote(role)); err != nil {
		return fmt.Errorf("role %s: %w", role, err)
	}
	return f(role, password)
}

// makeRole creates a role for one purpose. The caller must drop it.
func (s *server) makeRole(ctx context.Context, purpose string, memberOf []string) (role, password string, err error) {
	role, password = fmt.Sprintf("%s%s_%d_%s", passingRole, purpose, s.Range(), secret()[:12]), secret()
	sql := "CREATE ROLE " + quote(
		role,
	) + " LOGIN INHERIT CONNECTION LIMIT 3 PASSWORD '" + verifier(
		password,
	) + "'" + unprivileged
	if len(memberOf) > 0 {
		sql += " IN ROLE " + strings.Join(memberOf, ", ")
	}
	s.mu.Lock()
	s.passing[role] = true
	s.mu.Unlock()
	if _, err = s.admin.Exec(ctx, sql); err == nil {
		_, err = s.admin.Exec(ctx, strings.TrimPrefix(setAll(role, map[string]string{
			"lc_messages": "C", "log_min_messages": "fatal", // errors of scripts are told to who sent them
		}), "; "))
	}
	return role, password, s.reach(err)
}

// dropRole ends a role's sessions and drops it. What it may still own, or was granted, is another's to have taken away
// before.
func (s *server) dropRole(ctx context.Context, role, database string) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	defer func() {
		s.mu.Lock()
		delete(s.passing, role)
		s.mu.Unlock()
	}()
	if s.endSessions(ctx, "usename", role) != nil {
		return // swept at the next start
	}
	if database != "" {
		// the database may be gone
		_ = s.onDatabases(ctx, "REVOKE ALL ON DATABASE "+quote(database)+" FROM "+quote(role))
	}
	_, _ = s.admin.Exec(ctx, "DROP ROLE IF EXISTS "+quote(role))
}

// onDatabases changes who may do what with a database. The server does not take two such changes at once: of this
// service they come one after the other, and where another service was faster, all of it is done again.
func (s *server) onDatabases(ctx context.Context, sql string) error {
	s.databases.Lock()
	defer s.databases.Unlock()
	for tries := 1; ; tries++ {
		_, err := s.admin.Exec(ctx, sql)
		var reported *pgconn.PgError
		if !errors.As(err, &reported) || reported.Code != "XX000" || tries == mostOvertaken ||
			!strings.Contains(reported.Message, "concurrently updated") {
			return s.reach(err)
		}
		select {
		case <-time.After(time.Duration(tries) * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// mostOvertaken is how often another service may be faster.
const mostOvertaken = 100

// rangeOf is the range in the name of a role that was made for one purpose: of the service that made it.
func rangeOf(role string) int {
	parts := strings.Split(role, "_")
	n, _ := strconv.Atoi(parts[max(0, len(parts)-2)])
	return n
}

// another tells whether a range is another service's, which is alive.
func (s *server) another(number int) bool {
	return number != s.Range() && slices.Contains(s.Live(), number)
}

// sweepRoles drops roles left behind by a service that was killed, once they own nothing, and the seats of earlier
// versions, which had no range.
func (s *server) sweepRoles(ctx context.Context, conn *pgx.Conn) error {
	rows, _ := conn.Query(ctx, `
		SELECT rolname::text FROM pg_roles
		WHERE starts_with(rolname, $1) OR rolname ~ '^examen_(seat|check)_[0-9]+$'`, passingRole)
	left, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for _, role := range left {
		s.mu.Lock()
		own := s.passing[role] // at work
		s.mu.Unlock()
		if own || s.another(rangeOf(role)) {
			continue
		}
		_, _ = conn.Exec(ctx, "SELECT pg_terminate_backend(pid, 5000) FROM pg_stat_activity WHERE usename = '"+role+"'")
		rows, _ := conn.Query(
			ctx,
			`SELECT quote_ident(datname) FROM pg_database, aclexplode(datacl) AS a WHERE a.grantee = to_regrole($1)`,
			role,
		)
		databases, _ := pgx.CollectRows(rows, pgx.RowTo[string])
		for _, database := range slices.Compact(databases) {
			_, _ = conn.Exec(ctx, "REVOKE ALL ON DATABASE "+database+" FROM "+quote(role))
		}
		_, _ = conn.Exec(ctx, "DROP ROLE "+quote(role)) // it owns a build that was cut short: when that has gone
	}
	return nil
}

// verifier is what the server keeps of a password (SCRAM-SHA-256, RFC 5803): statements that set it may be logged
// without telling it.
func verifier(password string) string {
	const iterations = 4096
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	salted, err := pbkdf2.Key(sha256.New, password, salt, iterations, sha256.Size)
	if err != nil {
		panic(err) // only for parameters that are wrong
	}
	keyed := func(key []byte, text string) []byte {
		h := hmac.New(sha256.New, key)
		h.Write([]byte(text))
		return h.Sum(nil)
	}
	stored := sha256.Sum256(keyed(salted, "Client Key"))
	encode := base64.StdEncoding.EncodeToString
	return fmt.Sprintf(
		"SCRAM-SHA-256$%d:%s$%s:%s", iterations, encode(salt), encode(stored[:]), encode(keyed(salted, "Server Key")),
	)
}

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}
