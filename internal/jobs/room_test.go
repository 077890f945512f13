package jobs

import (
	"errors"
	"examen/internal/problem"
	"io"
	"math"
	"strings"
	"testing"
)

// Uploads end before the disk is full: asked before, by what is said to come, and while it comes.
func TestUploadsLeaveRoom(t *testing.T) {
	free := uint64(math.MaxUint64)
	room := Room(func() (records, practice uint64) { return free, free })
	short := func(err error) bool {
		var p *problem.Problem
		return errors.As(err, &p) && p.Type == "examen:no-room" && p.Status == 507
	}
	if room.ForUpload(1<<40) != nil || room.ToBuild(1<<40) != nil {
		t.Error("of servers elsewhere nothing is known")
	}
	free = keptRoom + 100<<20
	if room.ForUpload(40<<20) != nil || !short(room.ForUpload(60<<20)) || room.ForUpload(-1) != nil ||
		room.ToBuild(90<<20) != nil || !short(room.ToBuild(110<<20)) {
		t.Error("room is asked for before")
	}
	sent := &bounded{Reader: io.LimitReader(endless{}, 100<<20), room: room}
	read, err := io.CopyN(io.Discard, sent, 20<<20)
	free = keptRoom - 1
	more, short2 := io.Copy(io.Discard, sent)
	if err != nil || read != 20<<20 || !short(short2) || more > 2*looksEvery {
		t.Errorf("%d bytes were read, then %d: %v, %v", read, more, err, short2)
	}
	// It is read by pieces that it fills, as files are kept.
	sent, read, err = &bounded{Reader: endless{}, room: room}, 0, nil
	for piece := make([]byte, 512<<10); err == nil && read < 100<<20; read += int64(len(piece)) {
		_, err = io.ReadFull(sent, piece)
	}
	if !short(err) || read > 2*looksEvery {
		t.Errorf("%d bytes were read by pieces: %v", read, err)
	}
	if !strings.Contains(short2.Error(), "255 MB are free on the records server's disk") {
		t.Error(short2)
	}
}

type endless struct{}

func (endless) Read(p []byte) (int, error) { return len(p), nil }
