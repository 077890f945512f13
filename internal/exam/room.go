package exam

import (
	"fmt"
	"io"

	"examen/internal/problem"
	"examen/internal/records"
)

// Bytes that have to be free on the disk of a server that runs here: below the first it is full; the second are kept back from uploads and builds, so that work, marks
// and running queries never want for room because of them.
const (
	leastRoom = 64 << 20
	keptRoom  = 256 << 20
)

// roomFor tells whether an upload of so many bytes leaves enough room on the records server's disk, which keeps them twice for a while (in its log, too).
func (s *Service) roomFor(bytes int64) error {
	free, _ := s.room()
	if need := keptRoom + 2*uint64(max(bytes, 0)); free < need {
		return noRoom("records", free)
	}
	return nil
}

// roomToBuild tells whether there is room to build a dataset from so many bytes of files.
func (s *Service) roomToBuild(bytes int64) error {
	_, free := s.room()
	if need := keptRoom + uint64(max(bytes, 0)); free < need {
		return noRoom("practice", free)
	}
	return nil
}

func noRoom(server string, free uint64) *problem.Problem {
	p := problem.New(507, "no-room", "There is not enough room on the disk", "%d MB are free on the %s server's disk, and %d MB are kept back for learners' work: make room, or give smaller files. What was sent is not kept.",
		free>>20, server, keptRoom>>20)
	p.RetryAfter = 60
	return p
}

// bounded is a file that is being kept, as long as there is room.
type bounded struct {
	io.Reader
	service *Service
	read    int
}

// looksEvery is after how many bytes the room is looked at again.
const looksEvery = 8 << 20

func (b *bounded) Read(p []byte) (int, error) {
	if b.read >= looksEvery { // before more is read: an error beside bytes is lost on a reader whose buffer they fill
		b.read = 0
		if short := b.service.roomFor(0); short != nil {
			return 0, short
		}
	}
	n, err := b.Reader.Read(p)
	b.read += n
	return n, err
}

// forgetFiles has an ended job's files go, and gives their room back.
func (s *Service) forgetFiles(drop func() error) error {
	if err := drop(); err != nil {
		return err
	}
	go func() {
		if err := s.records.Reclaim(); err != nil && !records.Unavailable(err) {
			s.log.Warn("the room of files cannot be given back", "error", fmt.Sprint(err))
		}
	}()
	return nil
}
