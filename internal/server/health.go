package server

import (
	"context"
	"math"
	"time"

	"golang.org/x/sys/unix"

	"examen/internal/web"
)

// leastRoom is the free space, in bytes, below which a disk counts as full.
const leastRoom = 64 << 20

// healthPatience is how long a server may take to answer.
const healthPatience = 2 * time.Second

// health reports the state of the servers.
func (s *Server) health(ctx context.Context) web.Health {
	ctx, cancel := context.WithTimeout(ctx, healthPatience)
	defer cancel()
	state := func(err error, free uint64) web.ServerState {
		switch {
		case err != nil:
			return web.Down
		case free < leastRoom:
			return web.Full
		}
		return web.Up
	}
	records, practice := s.room()
	pinged := make(chan error, 1)
	go func() { pinged <- s.practice.Ping(ctx) }()
	h := web.Health{Records: state(s.records.Ping(ctx), records), Unending: s.practice.Unending()}
	h.Practice = state(<-pinged, practice)
	reason := func(is bool, sentence string) {
		if is {
			h.Reasons = append(h.Reasons, sentence)
		}
	}
	select {
	case <-s.stopping:
		h.Stopping = true
	default:
	}
	reason(h.Stopping, "The service is stopping.")
	reason(h.Records == web.Down, "The records' server does not answer.")
	reason(h.Records == web.Full, "The records' disk is full: less than 64 MB are free.")
	reason(h.Practice == web.Down, "No practice server answers.")
	reason(h.Practice == web.Full, "The practice server's disk is full: less than 64 MB are free.")
	return h
}

// room returns the free bytes on the disks of the clusters that run on this machine. For a server elsewhere it is
// unknown, and the greatest number is returned.
func (s *Server) room() (records, practice uint64) {
	free := func(place int) uint64 {
		var disk unix.Statfs_t
		if s.clusters == nil || s.clusters[place] == nil ||
			unix.Statfs(s.clusters[place].Folder(), &disk) != nil {
			return math.MaxUint64
		}
		return disk.Bavail * uint64(disk.Bsize)
	}
	return free(0), free(1)
}
