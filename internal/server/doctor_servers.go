package server

import (
	"context"
	"errors"
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/postgres"
)

// examinePatience is how long a server may take to answer.
const examinePatience = 10 * time.Second

// mostSkew is how far a server's clock may be from this machine's.
const mostSkew = 2 * time.Second

// sessionsOfService are connections that a service makes beside those of its seats.
const sessionsOfService = 24

// A found is what was found out about a server.
type found struct {
	version, connections int
	super, owner         bool
	encoding, commit     string
	sorts, language      string // text, and of messages
	more                 string // rights that seats have and may not
	standby, fsync       bool
	which                string // tells one server from another
	skew                 time.Duration
	missing              []string // extensions
}

// servers looks at the records' server and the practice servers, where they run.
func (e *examination) servers(ctx context.Context) {
	var seen []string
	var sorts string
	url, runs := e.options.RecordsURL, true
	if url == "" {
		url, runs = e.own("records", recordsCluster.Super)
	}
	if runs {
		seen = append(seen, e.records(ctx, url))
	}
	urls := e.options.PracticeURL
	if len(urls) == 0 {
		if url, runs := e.own("practice", PracticeCluster.Super); runs {
			urls = []string{url}
		}
	}
	for i, url := range slices.Concat(urls, e.options.Standbys) {
		about := "practice server"
		if i >= len(urls) {
			about = "standby"
		}
		which := e.practice(ctx, about, url, &sorts)
		if at := slices.Index(seen, which); which != "" && at >= 0 && runs {
			e.say(about, Bad, "name another server with --practice-url",
				"it is the same server as %s", map[bool]string{true: "the records'", false: "another one"}[at == 0])
		}
		seen = append(seen, which)
	}
}

// own leads to a cluster of Examen's own, if it runs.
func (e *examination) own(which, super string) (url string, runs bool) {
	url, err := postgres.Running(filepath.Join(e.options.DataDir, which), super, "postgres")
	if err != nil || url == "" {
		e.say(which, Unknown, "", "Examen's own cluster does not run now; it is made, or started, with the service")
		return "", false
	}
	return url, true
}

func (e *examination) records(ctx context.Context, url string) (which string) {
	const about = "records"
	f, host, err := look(ctx, url)
	if err != nil {
		e.say(about, Bad, "start the server, or mend --records-url", "%s cannot be used: %v", host, err)
		return ""
	}
	e.say(about, versionIs(f.version), newerVersion, "%s answers: PostgreSQL %d", host, f.version)
	e.skew(about, f)
	if f.encoding != "UTF8" {
		e.say(about, Bad, "make the database with ENCODING 'UTF8' TEMPLATE template0", "its encoding is %s", f.encoding)
	}
	if !f.owner && !f.super {
		e.say(about, Bad, "ALTER DATABASE ... OWNER TO the user of --records-url",
			"the user does not own the database, and cannot make its tables")
	}
	if len(f.missing) > 0 {
		e.say(about, Bad, "apt-get install postgresql-contrib on that machine, where it is not part of the server",
			"the extensions %v are not to be had there", f.missing)
	}
	if !f.fsync || f.commit == "off" {
		e.say(about, Bad, "set fsync = on and synchronous_commit = on on that server",
			"it acknowledges what is not on disk: a power cut would lose marks")
	}
	if f.standby {
		e.say(about, Bad, "name its primary with --records-url", "it is a standby, to which nothing can be written")
	}
	return f.which
}

// practice looks at a practice server, whose databases have to sort text as those of the others do.
func (e *examination) practice(ctx context.Context, about, url string, sorts *string) (which string) {
	f, host, err := look(ctx, url)
	if err != nil {
		e.say(about, Bad, "start the server, or mend its URL", "%s cannot be used: %v", host, err)
		return ""
	}
	e.say(about, versionIs(f.version), newerVersion, "%s answers: PostgreSQL %d", host, f.version)
	e.skew(about, f)
	if !f.super {
		e.say(about, Bad, "name a superuser in the URL: roles are made there, and functions closed to learners",
			"its user is no superuser")
	}
	switch {
	case f.encoding != "UTF8":
		e.say(about, Bad, "make the cluster with initdb --encoding UTF8", "its encoding is %s", f.encoding)
	case *sorts != "" && f.sorts != *sorts:
		e.say(about, Bad, "make all practice servers with the same initdb --locale",
			"it sorts text by %s, and another one by %s: a dataset would be another there", f.sorts, *sorts)
	default:
		e.say("locale", Good, "", "%s sorts text by %s; its messages (%s) are read in English",
			host, f.sorts, f.language)
	}
	*sorts = f.sorts
	seats := e.options.Limits
	if len(e.options.PracticeURL) == 0 {
		share(&seats)
	}
	if needed := 2*3*seats.Seats + sessionsOfService; f.connections < needed {
		e.say(about, Doubtful,
			fmt.Sprintf("set max_connections to %d for each service, or ask for fewer --seats", needed),
			"it allows %d connections, and a service with %d seats needs up to %d", f.connections, seats.Seats, needed)
	}
	if f.more != "" {
		e.say(about, Bad, "take that away: REVOKE role FROM member", "seats have more rights than they may: %s", f.more)
	}
	if f.standby != (about == "standby") {
		e.say(about, Bad, "name primaries with --practice-url, and their standbys with --practice-standby",
			map[bool]string{true: "it is a standby", false: "it is no standby"}[f.standby])
	}
	return f.which
}

// skew compares a server's clock with this machine's.
func (e *examination) skew(about string, f *found) {
	if f.skew.Abs() > mostSkew {
		e.say(about, Doubtful, "run a time service on both machines", "its clock is %s from this machine's",
			f.skew.Abs().Round(time.Second))
	}
}

// look asks a server about itself. The host is how its URL names it.
func look(ctx context.Context, url string) (_ *found, host string, err error) {
	ctx, cancel := context.WithTimeout(ctx, examinePatience)
	defer cancel()
	config, err := pgxpool.ParseConfig(url) // which may say how large a pool is to be
	if err != nil {
		return nil, "the URL", err
	}
	host = config.ConnConfig.Host
	conn, err := pgx.ConnectConfig(ctx, config.ConnConfig)
	if err != nil {
		lines := strings.Split(err.Error(), "\n") // one for each address
		return nil, host, errors.New(strings.TrimSpace(lines[len(lines)-1]))
	}
	defer conn.Close(context.WithoutCancel(ctx))
	f := &found{}
	before := time.Now()
	var at float64
	var standby, fsync string
	if err = conn.QueryRow(ctx, lookQuery).Scan(
		&f.version, &f.connections, &f.super, &f.owner, &f.encoding, &f.commit, &standby, &fsync, &f.sorts, &f.language,
		&f.more, &f.which, &at, &f.missing,
	); err != nil {
		return nil, host, err
	}
	f.standby, f.fsync = standby == "true", fsync == "on"
	whole, part := math.Modf(at)
	middle := before.Add(time.Since(before) / 2)
	f.skew = time.Unix(int64(whole), int64(part*1e9)).Sub(middle)
	return f, host, nil
}

// lookQuery asks, in the order in which look reads it.
const lookQuery = `
SELECT current_setting('server_version_num')::int / 10000,
	current_setting('max_connections')::int,
	(SELECT rolsuper FROM pg_roles WHERE rolname = current_user),
	(SELECT pg_has_role(datdba, 'USAGE') FROM pg_database WHERE datname = current_database()),
	current_setting('server_encoding'),
	current_setting('synchronous_commit'),
	pg_is_in_recovery()::text,
	current_setting('fsync'),
	(SELECT datcollate FROM pg_database WHERE datname = 'template0'),
	current_setting('lc_messages'),
	coalesce((SELECT format('%s is a member of %s', seat.rolname, other.rolname) FROM pg_roles AS seat
		JOIN pg_roles AS other ON other.rolname !~ '^examen_' AND pg_has_role(seat.oid, other.oid, 'MEMBER')
		WHERE seat.rolname ~ '^examen_(seat|check)_' ORDER BY 1 LIMIT 1), ''),
	(SELECT system_identifier::text FROM pg_control_system()) || ' ' || pg_postmaster_start_time(),
	extract(epoch FROM clock_timestamp())::float8,
	ARRAY(SELECT name FROM unnest('{pg_trgm,btree_gin}'::text[]) AS name
		WHERE name NOT IN (SELECT available.name::text FROM pg_available_extensions AS available))`
