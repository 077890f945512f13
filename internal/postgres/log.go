package postgres

import (
	"io"
	"os"
	"path/filepath"

	"gopkg.in/natefinch/lumberjack.v2"
)

// logFile returns the log of a cluster's server. It is written through a pipe into files that this process opens, in a
// folder that the server's user cannot write, so that no link made by that user is followed. The current file is
// server.log; it is rotated when it has grown.
func logFile(folder string) *lumberjack.Logger {
	return &lumberjack.Logger{Filename: filepath.Join(folder, "server.log"), MaxSize: 16, MaxBackups: 3} // megabytes
}

// piped returns the end of a pipe for a server to write to. What is written goes to the log until the last writer
// closes the pipe.
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
