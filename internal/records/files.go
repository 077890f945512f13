package records

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"path"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/records/query"
)

// pieceBytes is the size of the pieces in which files are stored. At most one piece of a file is in memory at a time.
const pieceBytes = 512 << 10

// KeepFile stores one of a job's files; place is its position among them.
func (s *Store) KeepFile(
	ctx context.Context, job int64, place int, name string, content io.Reader,
) (bytes int64, err error) {
	buffer := make([]byte, pieceBytes)
	for piece := int32(0); ; piece++ {
		n, err := io.ReadFull(content, buffer)
		if n > 0 {
			bytes += int64(n)
			if err := s.AddJobPiece(
				ctx, query.AddJobPieceParams{JobID: job, Place: int32(place), Piece: piece, Content: buffer[:n]},
			); err != nil {
				return bytes, err
			}
		}
		if err == io.EOF || err == io.ErrUnexpectedEOF {
			return bytes, s.AddJobFile(
				ctx, query.AddJobFileParams{JobID: job, Path: name, Place: int32(place), Bytes: bytes},
			)
		} else if err != nil {
			return bytes, err
		}
	}
}

// Files returns a job's files as a file system, and their paths in the order in which they were uploaded.
func (s *Store) Files(ctx context.Context, job int64) (fs.FS, []string, error) {
	list, err := s.JobFiles(ctx, job)
	if err != nil {
		return nil, nil, err
	}
	folder := &folder{store: s, ctx: ctx, files: map[string]query.JobFile{}}
	var paths []string
	for _, f := range list {
		folder.files[f.Path] = f
		paths = append(paths, f.Path)
	}
	return folder, paths, nil
}

// folder is a job's files. It opens files only, no directories.
type folder struct {
	store *Store
	ctx   context.Context
	files map[string]query.JobFile
}

func (f *folder) Open(name string) (fs.File, error) {
	found, ok := f.files[name]
	if !ok {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	return &file{folder: f, of: found}, nil
}

// file is a file being read, a piece at a time.
type file struct {
	folder *folder
	of     query.JobFile
	next   int32
	rest   []byte
	read   int64
}

func (f *file) Read(p []byte) (int, error) {
	if f.read == f.of.Bytes {
		return 0, io.EOF
	}
	if len(f.rest) == 0 {
		content, err := f.folder.store.JobPiece(
			f.folder.ctx, query.JobPieceParams{JobID: f.of.JobID, Place: f.of.Place, Piece: f.next},
		)
		if Missing(err) {
			return 0, errors.New("the job's files are gone")
		} else if err != nil {
			return 0, err
		}
		f.rest, f.next = content, f.next+1
	}
	n := copy(p, f.rest)
	f.rest, f.read = f.rest[n:], f.read+int64(n)
	return n, nil
}

func (f *file) Close() error               { return nil }
func (f *file) Stat() (fs.FileInfo, error) { return info{f.of}, nil }

type info struct{ of query.JobFile }

func (i info) Name() string       { return path.Base(i.of.Path) }
func (i info) Size() int64        { return i.of.Bytes }
func (i info) Mode() fs.FileMode  { return 0o444 }
func (i info) ModTime() time.Time { return time.Time{} }
func (i info) IsDir() bool        { return false }
func (i info) Sys() any           { return nil }

// Reclaim returns the space of deleted files to the disk.
func (s *Store) Reclaim() error {
	_, err := s.pool.Exec(context.Background(), "VACUUM job_piece", pgx.QueryExecModeExec)
	return err
}
