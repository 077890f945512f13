// Command load measures what learners cost a service, foretells by a simulation how many it bears, and checks that
// against a run of simulated learners on this machine: make load.
//
// The learners are those of a group in a computer room: each logs in, opens the paper, and then thinks, writes, runs a
// query or submits one, over and over (learners.go). What each of these costs in processor time, of the service, the
// records' server and the practice server, is measured by one learner alone (costs.go). The simulation has the same
// learners wait for processors that all parts share (simulation.go). docs/scaling.md says what follows.
package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"syscall"
	"time"
)

func main() {
	log.SetFlags(0)
	o := options{}
	flag.IntVar(&o.learners, "learners", 1000, "how many learners there are")
	flag.DurationVar(&o.during, "during", 2*time.Minute, "how long they work, after all have come")
	flag.DurationVar(&o.coming, "coming", time.Minute, "within what time they come")
	flag.DurationVar(&o.thinking, "thinking", 20*time.Second, "how long a learner thinks, in the mean")
	hurried := flag.Duration("hurried", 2200*time.Millisecond, "the same, when they hurry afterwards")
	flag.Parse()
	o.hurried = *hurried
	if err := run(context.Background(), o); err != nil {
		log.Fatal(err)
	}
}

type options struct {
	learners                          int
	during, coming, thinking, hurried time.Duration
}

// hurry gives the options for learners who are there, and hurry.
func (o options) hurry() options {
	o.thinking, o.coming = o.hurried, 0
	return o
}

func run(ctx context.Context, o options) error {
	s, err := start()
	if err != nil {
		return err
	}
	defer s.stop()
	group, err := gather(ctx, s.url, o.learners)
	if err != nil {
		return err
	}
	fmt.Printf("%d learners; %d processors, shared by all parts and the learners' own program.\n\n", o.learners,
		runtime.NumCPU())
	costs, err := measure(ctx, s, group[0])
	if err != nil {
		return err
	}
	costs.print()
	before, err := s.usage()
	if err != nil {
		return err
	}
	seen, err := work(ctx, o, s, group)
	if err != nil {
		return err
	}
	compare(o, simulate(o, costs, runtime.NumCPU()), seen)
	hurry := o.hurry()
	hurried, err := work(ctx, hurry, s, group)
	if err != nil {
		return err
	}
	compare(hurry, simulate(hurry, costs, runtime.NumCPU()), hurried)
	after, err := s.usage()
	if err != nil {
		return err
	}
	capacity(o, costs, before, after, seen)
	if failures := append(seen.failures, hurried.failures...); len(failures) > 0 {
		return fmt.Errorf("%d calls failed, the first: %s", len(failures), failures[0])
	}
	return nil
}

// A service is the one that is measured, with its two servers, in a folder of its own.
type service struct {
	cmd    *exec.Cmd
	folder string
	url    string
}

// start starts a service with the demo's data.
func start() (*service, error) {
	folder, err := os.MkdirTemp("", "examen-load-")
	if err != nil {
		return nil, err
	}
	if err := os.Chmod(folder, 0o755); err != nil { // its servers run as users of their own
		return nil, err
	}
	s := &service{folder: folder, cmd: exec.Command(
		"bin/examen", "demo", "--listen", "127.0.0.1:0", "--data-dir", folder, "--limit-calls", "1000000",
	)}
	s.cmd.Stderr = os.Stderr
	out, err := s.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := s.cmd.Start(); err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if address, found := strings.CutPrefix(lines.Text(), "Examen serves at "); found {
			s.url = address
		}
		if strings.HasPrefix(lines.Text(), "Stop it") {
			go func() {
				for lines.Scan() {
				}
			}()
			return s, nil
		}
	}
	s.stop()
	return nil, errors.New("the demo ended as it started")
}

func (s *service) stop() {
	_ = s.cmd.Process.Signal(syscall.SIGINT)
	_ = s.cmd.Wait()
	_ = os.RemoveAll(s.folder)
}
