package web

import (
	"context"
	"time"

	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/web/contract"
)

func (s *server) GetStatus(
	ctx context.Context, _ contract.GetStatusRequestObject,
) (contract.GetStatusResponseObject, error) {
	found, err := s.Servers.Status(ctx, who(ctx))
	if err != nil {
		return nil, err
	}
	out := contract.GetStatus200JSONResponse{
		Version: s.Version, At: time.Now(), Health: toHealth(s.Health(ctx)),
		Records: contract.RecordsSpace{Bytes: found.Records, FreeBytes: s.RecordsFree()},
		Passing: contract.Space(found.Passing),

		Services: toServices(found.Services), Practice: toPracticeServers(found.Practice),
		Seats: []contract.SeatsState{}, Background: []contract.Backlog{}, Datasets: []contract.DatasetSpace{},
		SlowExercises: []contract.SlowExercise{}, FailedLogIns: []contract.FailedLogIn{},
	}
	for _, of := range found.Seats {
		out.Seats = append(out.Seats, contract.SeatsState{
			Server: of.Server, Kind: of.Kind, All: of.All, InUse: of.InUse, WaitedFor: of.Waiting,
		})
	}
	for _, b := range found.Background {
		out.Background = append(out.Background, contract.Backlog{
			Task: b.Task, Name: b.Name, State: b.State, Count: b.Count,
		})
	}
	for _, d := range found.Datasets {
		out.Datasets = append(out.Datasets, contract.DatasetSpace{
			Dataset: d.Dataset, InUse: contract.Space(d.InUse), Earlier: contract.Space(d.Earlier),
			Templates: contract.Space(d.Templates), Copies: contract.Space(d.Copies), Bytes: d.Bytes(),
		})
	}
	milliseconds := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
	for _, e := range found.Exercises {
		out.SlowExercises = append(out.SlowExercises, contract.SlowExercise{
			Paper: e.Paper, Exercise: e.Slug, Number: e.Number, Title: e.Title, Checks: e.Checks, Stopped: e.Stopped,
			MedianMs: milliseconds(e.Median), P95Ms: milliseconds(e.Most95), LongestMs: milliseconds(e.Longest),
		})
	}
	for _, f := range found.LogIns {
		out.FailedLogIns = append(out.FailedLogIns, contract.FailedLogIn{
			Address: f.Address, Name: f.Name, UnknownName: f.Named && f.Name == "", Failures: f.Failures, Last: f.Last,
		})
	}
	return out, nil
}

func (s *server) ListServers(
	ctx context.Context, _ contract.ListServersRequestObject,
) (contract.ListServersResponseObject, error) {
	services, states, err := s.Servers.List(ctx, who(ctx))
	if err != nil {
		return nil, err
	}
	return contract.ListServers200JSONResponse{
		Services: toServices(services), Practice: toPracticeServers(states),
	}, nil
}

func toServices(services []records.Replica) []contract.Service {
	out := []contract.Service{}
	for _, s := range services {
		out = append(out, contract.Service{Seats: s.Range, Address: s.Address, Started: s.Started, Own: s.Own})
	}
	return out
}

func toPracticeServers(states []practice.ServerState) []contract.PracticeServer {
	out := []contract.PracticeServer{}
	for i := range states {
		out = append(out, toPracticeServer(&states[i]))
	}
	return out
}

func (s *server) DrainServer(
	ctx context.Context, request contract.DrainServerRequestObject,
) (contract.DrainServerResponseObject, error) {
	state, err := s.Servers.Drain(ctx, who(ctx), request.Name, request.Body.Draining)
	if err != nil {
		return nil, err
	}
	return contract.DrainServer200JSONResponse(toPracticeServer(state)), nil
}

func toPracticeServer(s *practice.ServerState) contract.PracticeServer {
	return contract.PracticeServer{
		Name: s.Name, Standby: s.Standby, Reachable: s.Ready, Draining: s.Draining, Running: s.Running,
		Builds: s.Builds, Copies: s.Copies, FreeBytes: s.Free,
	}
}
