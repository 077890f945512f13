package postgres

import (
	"io"
	"os"
	"path/filepath"

	"gopkg.in/natefinch/lumberjack.v2"
)

// logFile is where a cluster's server writes its log: through a pipe, into files that this process opens in a folder that the server's user
// cannot write, so that no link of theirs is followed. The latest is server.log; it is put aside when it has grown.
func logFile(folder string) *lumberjack.Logger {
	return &lumberjack.Logger{Filename: filepath.Join(folder, "server.log"), MaxSize: 16, MaxBackups: 3} // megabytes
}

// piped returns the end of a pipe that a server may write to; what it writes goes to the log until the last writer has closed it.
func piped(log io.WriteCloser) (*os.File, error) {
	out, in, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	go func() {
		defer out.Close()
		defer log.Close()
		_, _ = io.Copy(log, out) // a full disk must not hold the server up
		_, _ = io.Copy(io.Discard, out)
	}()
	return in, nil
}
