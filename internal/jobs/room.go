package jobs

import (
	"io"

	"examen/internal/problem"
)

// A Room reports the free bytes on the disks of the records server and the practice server, if they are on this
// machine.
type Room func() (records, practice uint64)

// keptRoom are the bytes on the disk of a server that are kept back from uploads and builds, so that work, marks and
// running queries never want for room because of them.
const keptRoom = 256 << 20

// ForUpload returns a problem if an upload of the given size would leave too little space on the records server's disk.
// The server needs twice the size for a while, because its log holds the data too.
func (r Room) ForUpload(bytes int64) error {
	free, _ := r()
	if need := keptRoom + 2*uint64(max(bytes, 0)); free < need {
		return noRoom("records", free)
	}
	return nil
}

// ToBuild returns a problem if a build from files of the given size would leave too little space on the practice
// server's disk.
func (r Room) ToBuild(bytes int64) error {
	_, free := r()
	if need := keptRoom + uint64(max(bytes, 0)); free < need {
		return noRoom("practice", free)
	}
	return nil
}

func noRoom(server string, free uint64) *problem.Problem {
	p := problem.New(507, "no-room", "There is not enough room on the disk",
		"%d MB are free on the %s server's disk, and %d MB are kept back for learners' work: make room, or give "+
			"smaller files. "+
			"What was sent is not kept.", free>>20, server, keptRoom>>20)
	p.RetryAfter = 60
	return p
}

// bounded reads an uploaded file for as long as there is space for it.
type bounded struct {
	io.Reader
	room Room
	read int
}

// looksEvery is after how many bytes the room is looked at again.
const looksEvery = 8 << 20

func (b *bounded) Read(p []byte) (int, error) {
	if b.read >= looksEvery { // before more is read: an error beside bytes is lost on a reader whose buffer they fill
		b.read = 0
		if short := b.room.ForUpload(0); short != nil {
			return 0, short
		}
	}
	n, err := b.Reader.Read(p)
	b.read += n
	return n, err
}
