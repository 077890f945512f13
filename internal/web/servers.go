package web

import (
	"context"

	"examen/internal/practice"
	"examen/internal/web/contract"
)

func (s *server) ListServers(
	ctx context.Context, _ contract.ListServersRequestObject,
) (contract.ListServersResponseObject, error) {
	services, states, err := s.Servers.List(ctx, who(ctx))
	if err != nil {
		return nil, err
	}
	out := contract.ListServers200JSONResponse{Services: []contract.Service{}, Practice: []contract.PracticeServer{}}
	for _, service := range services {
		out.Services = append(out.Services, contract.Service{
			Seats: service.Range, Address: service.Address, Started: service.Started, Own: service.Own,
		})
	}
	for i := range states {
		out.Practice = append(out.Practice, toPracticeServer(&states[i]))
	}
	return out, nil
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
