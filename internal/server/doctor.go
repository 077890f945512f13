package server

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"examen/internal/postgres"
)

// A Remark is what an examination of a set-up found about one thing.
type Remark struct {
	About string    `json:"about"`
	Says  Diagnosis `json:"says"`
	Found string    `json:"found"`
	Do    string    `json:"do,omitempty"` // what mends it; "" where nothing is to be done
}

// A Diagnosis says how good what was found is.
type Diagnosis string

// Diagnoses. With a bad one the service does not start, or not everything works; a doubtful one is to be looked at.
const (
	Good     Diagnosis = "good"
	Doubtful Diagnosis = "doubtful"
	Bad      Diagnosis = "bad"
	Unknown  Diagnosis = "unknown" // it could not be found out
)

// examination collects remarks.
type examination struct {
	options Options
	remarks []Remark
}

func (e *examination) say(about string, says Diagnosis, do, found string, args ...any) {
	if len(args) > 0 {
		found = fmt.Sprintf(found, args...)
	}
	if says == Good {
		do = ""
	}
	e.remarks = append(e.remarks, Remark{about, says, found, do})
}

// Examine looks at the set-up that serve would be started with: this machine, the servers, and how learners would reach
// the service. It changes nothing, and the service may be running.
func Examine(ctx context.Context, options Options) []Remark {
	e := &examination{options: options}
	e.rights()
	e.memory()
	e.clock()
	e.zone()
	if options.RecordsURL == "" || len(options.PracticeURL) == 0 {
		e.programs()
		e.folder()
	}
	e.servers(ctx)
	e.door()
	e.letters()
	return e.remarks
}

// rights tells as whom the service would run.
func (e *examination) rights() {
	own := e.options.RecordsURL == "" || len(e.options.PracticeURL) == 0
	switch {
	case e.options.Join:
		e.say("rights", Good, "", "the clusters are run apart, each by a user of its own")
	case os.Geteuid() == 0:
		e.say("rights", Good, "", "the service runs as root; its clusters run as users of their own")
	case !own:
		e.say("rights", Good, "", "the service runs as the user %d, and starts no servers", os.Geteuid())
	default:
		e.say("rights", Doubtful,
			"start it as root, or name servers of others with --records-url and --practice-url",
			"the service runs as the user %d: both of its clusters belong to that user, and long queries slow short "+
				"ones", os.Geteuid())
	}
	var files unix.Rlimit
	if err := unix.Getrlimit(unix.RLIMIT_NOFILE, &files); err != nil {
		e.say("open files", Unknown, "", "the limit cannot be read: %v", err)
	} else if files.Max < leastFiles {
		e.say("open files", Doubtful, fmt.Sprintf("allow %d (LimitNOFILE= in its unit, or ulimit -n)", leastFiles),
			"%d files and connections may be open: about %d learners can follow papers at once", files.Max, files.Max/2)
	} else {
		e.say("open files", Good, "", "%d files and connections may be open", files.Max)
	}
}

// leastFiles are enough for a thousand learners, each with a few connections.
const leastFiles = 4096

func (e *examination) memory() {
	limits, asked := e.options.Limits, e.options.Limits.Seats
	all := postgres.MachineMemory()
	session := share(&limits)
	found := fmt.Sprintf("%d MB, of which all queries together may take %d MB, and each %d MB",
		all>>20, limits.Memory>>20, session>>20)
	switch {
	case len(e.options.PracticeURL) > 0:
		e.say("memory", Good, "", "%d MB; what queries take is bounded on the practice servers", all>>20)
	case limits.Memory > all*9/10:
		e.say("memory", Bad, "lower --limit-memory, to half of the memory or so", "%s: more than there is", found)
	case limits.Seats < asked:
		e.say("memory", Doubtful, "add memory, or ask for fewer --seats",
			"%s: only %d of %d queries run at once", found, limits.Seats, asked)
	default:
		e.say("memory", Good, "", "%s, on %d processors", found, runtime.NumCPU())
	}
}

// clock tells whether something keeps the machine's clock right, as deadlines need it.
func (e *examination) clock() {
	var state unix.Timex
	answer, err := unix.Adjtimex(&state)
	now := time.Now().Format("2006-01-02 15:04:05 MST")
	switch {
	case err != nil:
		e.say("clock", Unknown, "see to it that a time service such as systemd-timesyncd runs",
			"it is %s; whether anything sets it cannot be read", now)
	case answer == unix.TIME_ERROR || state.Status&unix.STA_UNSYNC != 0:
		e.say("clock", Doubtful, "run a time service, such as systemd-timesyncd: deadlines are told by this clock",
			"it is %s, and nothing sets the clock", now)
	default:
		e.say("clock", Good, "", "it is %s, and the clock is set by a time service", now)
	}
}

// zone tells in which zone times are told. Courses have one of their own, and queries run in UTC.
func (e *examination) zone() {
	set, ok := os.LookupEnv("TZ")
	if _, err := time.LoadLocation(strings.TrimPrefix(set, ":")); ok && err != nil {
		e.say("time zone", Doubtful, "set TZ to a zone such as Europe/Lisbon, or not at all",
			"TZ is %q, which is no zone: commands tell times in UTC", set)
		return
	}
	name, _ := time.Now().Zone()
	e.say("time zone", Good, "",
		"commands here tell times in %s; each course has its own zone, and queries run in UTC", name)
}

// programs tells whether PostgreSQL is there, with which clusters are made and run.
func (e *examination) programs() {
	for _, which := range []string{"records", "practice"} {
		made, programs, err := postgres.Versions(filepath.Join(e.options.DataDir, which))
		switch {
		case err != nil:
			e.say("PostgreSQL", Bad, "apt-get install postgresql", "%v", err)
			return
		case made != 0 && made != programs:
			e.say("PostgreSQL", Bad,
				fmt.Sprintf(
					"install postgresql-%d, or restore a backup (examen backup) into a new --data-dir", made,
				),
				"the %s cluster was made by version %d, and there is version %d", which, made, programs)
		case which == "records" || made != 0:
			e.say("PostgreSQL", versionIs(programs), newerVersion,
				"the %s cluster is run by version %d", which, programs)
		}
	}
}

// Versions of PostgreSQL with which Examen is used.
const (
	oldestServer = 15
	newestServer = 18
)

const newerVersion = "use PostgreSQL 15 to 18"

// versionIs tells how good a version of PostgreSQL is.
func versionIs(major int) Diagnosis {
	switch {
	case major < oldestServer:
		return Bad
	case major > newestServer:
		return Doubtful
	}
	return Good
}

// folder tells whether data can be kept where they are to be.
func (e *examination) folder() {
	path := e.options.DataDir
	at := path
	for { // the nearest folder that is there
		info, err := os.Stat(at)
		if err == nil && info.IsDir() {
			break
		} else if err == nil {
			e.say("data folder", Bad, "name a folder with --data-dir", "%s is no folder", at)
			return
		}
		if at == filepath.Dir(at) {
			break
		}
		at = filepath.Dir(at)
	}
	if err := unix.Access(at, unix.W_OK|unix.X_OK); err != nil {
		e.say("data folder", Bad, "let the service's user write there, or name another folder with --data-dir",
			"%s cannot be written to: %v", at, err)
		return
	}
	found := path + " can be written to"
	if at != path {
		found = path + " will be made"
	}
	var disk unix.Statfs_t
	if err := unix.Statfs(at, &disk); err != nil {
		e.say("data folder", Unknown, "", "%s; what is free there cannot be read: %v", found, err)
		return
	}
	free := disk.Bavail * uint64(disk.Bsize)
	switch mend := "make room, or name a folder on another disk with --data-dir"; {
	case free < tooLittleDisk:
		e.say("data folder", Bad, mend, "%s; %d MB are free, too few for any build", found, free>>20)
	case free < littleDisk:
		e.say("data folder", Doubtful, mend, "%s; only %d MB are free", found, free>>20)
	default:
		e.say("data folder", Good, "", "%s; %d GB are free", found, free>>30)
	}
}

// Of the disk, so much is kept back for what is written already, and so much is little for a term.
const (
	tooLittleDisk = 512 << 20
	littleDisk    = 5 << 30
)
