package main

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"runtime"
	"slices"
	"sync"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
)

// What learners do.
const (
	logIn = iota
	openPaper
	keepDraft
	runQuery
	submit
	deeds
)

var deedNames = [deeds]string{"a log-in", "opening the paper", "keeping a draft", "a run", "a submission"}

// After each pause for thought, of exponential length, a learner keeps a draft, and then runs a query or submits one:
// of four times, three are runs. Every tenth time they open the paper anew.
const (
	submitsOf = 4
	opensOf   = 10
)

// next gives what a learner does after the nth pause.
func next(n int) []int {
	deed := runQuery
	if n%submitsOf == submitsOf-1 {
		deed = submit
	}
	if n%opensOf == opensOf-1 {
		return []int{openPaper, keepDraft, deed}
	}
	return []int{keepDraft, deed}
}

// think is how long a learner thinks.
func think(chance *rand.Rand, mean time.Duration) time.Duration {
	return min(time.Duration(chance.ExpFloat64()*float64(mean)), 6*mean)
}

// A learner is one of a group, with what was opened at log-in.
type learner struct {
	name, url string
	client    *client.Client
}

const password = "bees-and-long-lines"

// transport keeps as many connections as there are learners.
var transport = &http.Transport{MaxIdleConns: 0, MaxIdleConnsPerHost: 20_000, IdleConnTimeout: 10 * time.Minute}

// gather makes a group of learners in the demo's evening group.
func gather(ctx context.Context, url string, many int) ([]*learner, error) {
	teacher := &learner{name: demo.InstructorName, url: url}
	if err := teacher.logIn(ctx, demo.InstructorPassword); err != nil {
		return nil, err
	}
	group := make([]*learner, many)
	failed := make([]error, many)
	places := make(chan struct{}, runtime.NumCPU())
	var all sync.WaitGroup
	for i := range group {
		group[i] = &learner{name: fmt.Sprintf("load-%04d", i), url: url}
		all.Go(func() {
			places <- struct{}{}
			defer func() { <-places }()
			member := client.NewMember{Name: group[i].name, Password: password}
			_, failed[i] = client.Read[client.AddedMember](teacher.client.AddMember(ctx, "evening-group", member))
		})
	}
	all.Wait()
	if err := errors.Join(failed...); err != nil {
		return nil, err
	}
	return group, group[0].logIn(ctx, password)
}

func (l *learner) logIn(ctx context.Context, password string) error {
	c, err := client.NewClient(l.url)
	if err != nil {
		return err
	}
	c.Client = &http.Client{Transport: transport}
	session, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogIn{Name: l.name, Password: password, Kind: client.Bearer}),
	)
	if err != nil {
		return err
	}
	l.client, err = client.NewClient(l.url, client.WithBearer(session.Token))
	if err == nil {
		l.client.Client = &http.Client{Transport: transport}
	}
	return err
}

// do does one thing. Every third submission is right.
func (l *learner) do(ctx context.Context, deed, n int) error {
	switch deed {
	case logIn:
		return l.logIn(ctx, password)
	case openPaper:
		_, err := client.Read[client.Paper](l.client.GetPaper(ctx, "first-look"))
		return err
	case keepDraft:
		_, err := client.Read[client.Draft](l.client.KeepDraft(
			ctx, "first-look", "2", client.DraftText{Sql: fmt.Sprintf("SELECT name, strength FROM hive -- %d", n)},
		))
		return err
	case runQuery:
		_, err := client.Read[client.Run](l.client.Run(ctx, client.RunRequest{
			Paper: "first-look", Exercise: "2",
			Sql: fmt.Sprintf("SELECT a.name, count(*), avg(h.strength) FROM hive h JOIN apiary a USING (apiary_id) "+
				"WHERE h.hive_id > %d GROUP BY a.name ORDER BY 2 DESC", n%7),
		}))
		return err
	}
	answer := "SELECT name, valley FROM apiary"
	if n%3 > 0 {
		answer = fmt.Sprintf("SELECT name, valley FROM apiary WHERE altitude_m > %d", 100+n%5)
	}
	_, err := client.Read[client.Attempt](l.client.Submit(ctx, "first-look", "1", client.Submission{Sql: answer}))
	return err
}

// An outcome is what came of a run, or of the simulation of one: how long each deed took, and what was used of the
// processors, of all there are.
type outcome struct {
	took     [deeds][]time.Duration
	busy     float64
	failures []string

	mu sync.Mutex
}

func (o *outcome) note(deed int, took time.Duration, err error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if err != nil {
		o.failures = append(o.failures, deedNames[deed]+": "+err.Error())
		return
	}
	o.took[deed] = append(o.took[deed], took)
}

// work has the learners come, if they are not there, and work. What is noted is what they do when all are there.
func work(ctx context.Context, o options, s *service, group []*learner) (*outcome, error) {
	seen, unseen := &outcome{}, &outcome{}
	begun := time.Now()
	there := begun.Add(o.coming)
	end := there.Add(o.during)
	var all sync.WaitGroup
	for i, l := range group {
		chance := rand.New(rand.NewPCG(1, uint64(i)))
		all.Go(func() {
			time.Sleep(time.Until(begun.Add(o.coming * time.Duration(i) / time.Duration(len(group)))))
			for n := -1; ; n++ {
				doing := []int{logIn, openPaper}
				if n >= 0 || o.coming == 0 {
					time.Sleep(think(chance, o.thinking))
					doing = next(n + i)
				}
				for _, deed := range doing {
					if time.Now().After(end) {
						return
					}
					start := time.Now()
					err := l.do(ctx, deed, n+i)
					if start.After(there) {
						seen.note(deed, time.Since(start), err)
					} else {
						unseen.note(deed, time.Since(start), err)
					}
				}
			}
		})
	}
	time.Sleep(time.Until(there))
	before, err := s.usage()
	if err != nil {
		return nil, err
	}
	time.Sleep(time.Until(end))
	after, err := s.usage()
	if err != nil {
		return nil, err
	}
	all.Wait()
	for part := range parts {
		seen.busy += (after.processor[part] - before.processor[part]).Seconds()
	}
	seen.busy /= o.during.Seconds() * float64(runtime.NumCPU())
	seen.failures = append(unseen.failures, seen.failures...)
	return seen, nil
}

// quantile is the time within which so large a part was done.
func quantile(took []time.Duration, part float64) time.Duration {
	if len(took) == 0 {
		return 0
	}
	slices.Sort(took)
	return took[min(int(part*float64(len(took))), len(took)-1)]
}
