package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"strings"
	"time"
)

// SendFiles makes a call's body from files in a folder, which are read as they are sent. each is called with the number
// of bytes sent since the last call.
func SendFiles(folder fs.FS, paths []string, each func(bytes int)) (contentType string, body io.ReadCloser) {
	out, in := io.Pipe()
	w := multipart.NewWriter(in)
	go func() {
		err := writeFiles(w, folder, paths, each)
		if err == nil {
			err = w.Close()
		}
		in.CloseWithError(err)
	}()
	return w.FormDataContentType(), out
}

// AskFirst delays sending a call's body until the service has agreed to take it.
func AskFirst(_ context.Context, r *http.Request) error {
	r.Header.Set("Expect", "100-continue")
	return nil
}

func writeFiles(w *multipart.Writer, folder fs.FS, paths []string, each func(int)) error {
	for _, path := range paths {
		header := textproto.MIMEHeader{}
		header.Set(
			"Content-Disposition",
			fmt.Sprintf(
				`form-data; name="file"; filename="%s"`, strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(path),
			),
		)
		header.Set("Content-Type", "application/octet-stream")
		part, err := w.CreatePart(header)
		if err != nil {
			return err
		}
		file, err := folder.Open(path)
		if err != nil {
			return err
		}
		_, err = io.Copy(telling{part, each}, file)
		file.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

type telling struct {
	io.Writer
	each func(int)
}

func (t telling) Write(p []byte) (int, error) {
	n, err := t.Writer.Write(p)
	if t.each != nil {
		t.each(n)
	}
	return n, err
}

// Over tells whether a job has ended.
func (j Job) Over() bool { return j.State == JobDone || j.State == JobFailed || j.State == JobStopped }

// Follow calls each with the job's state, now and whenever it changes, until the job has ended or asks for
// confirmation, and returns it. A broken connection is made again; it is an error only if the service stays away.
func Follow(ctx context.Context, c *Client, job Job, each func(Job)) (Job, error) {
	for failures := 0; ; {
		last, err := follow(ctx, c, job.Id, each)
		if last.Id != "" {
			job, failures = last, 0
		}
		var no *ProblemError
		switch {
		case job.Over() || job.State == JobAsking:
			return job, nil
		case ctx.Err() != nil:
			return job, context.Cause(ctx)
		case errors.As(err, &no) && no.Status < 500:
			return job, err
		}
		if failures++; failures > 30 {
			return job, fmt.Errorf("%w: %w", ErrUnreachable, err)
		}
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
}

// follow reads a job's events, and returns the last.
func follow(ctx context.Context, c *Client, id string, each func(Job)) (last Job, err error) {
	response, err := c.FollowJob(ctx, id)
	if err != nil {
		return last, err
	}
	err = readEvents(response, func(now Job) (on bool) {
		if last = now; each != nil {
			each(last)
		}
		return !last.Over() && last.State != JobAsking
	})
	return last, err
}

// readEvents reads server-sent events until they end, which is an error, or each wants no more.
func readEvents[T any](response *http.Response, each func(T) (on bool)) error {
	defer response.Body.Close()
	if response.StatusCode >= 400 {
		return readProblem(response)
	}
	lines := bufio.NewReader(response.Body)
	for {
		line, err := lines.ReadBytes('\n')
		if data, ok := bytes.CutPrefix(line, []byte("data: ")); ok && err == nil {
			var event T // anew: what is left out is empty
			if err := json.Unmarshal(data, &event); err != nil {
				return err
			}
			if !each(event) {
				return nil
			}
		}
		if err != nil {
			return err
		}
	}
}

// Watch calls each with what changes in a paper's grid, until the context ends. An interrupted connection is made
// again; the first event of each says that anything may have changed.
func Watch(ctx context.Context, c *Client, paper, course string, each func(ProgressNews)) error {
	for failures := 0; ; {
		response, err := c.WatchProgress(ctx, paper, &WatchProgressParams{Course: course})
		if err == nil {
			err = readEvents(response, func(news ProgressNews) bool {
				failures = 0
				each(news)
				return true
			})
		}
		var no *ProblemError
		switch {
		case ctx.Err() != nil:
			return context.Cause(ctx)
		case errors.As(err, &no) && no.Status < 500:
			return err
		}
		if failures++; failures > 30 {
			return fmt.Errorf("%w: %w", ErrUnreachable, err)
		}
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
}

// Loaded sends the files of a folder as a pack and waits until the pack is loaded.
func Loaded(ctx context.Context, c *Client, folder fs.FS) (JobReport, error) {
	var paths []string
	err := fs.WalkDir(folder, ".", func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			paths = append(paths, path)
		}
		return err
	})
	if err != nil {
		return JobReport{}, err
	}
	contentType, body := SendFiles(folder, paths, nil)
	job, err := Read[Job](c.LoadPackWithBody(ctx, &LoadPackParams{}, contentType, body, AskFirst))
	if err == nil {
		job, err = Follow(ctx, c, job, nil)
	}
	if err == nil && job.State == JobAsking {
		return job.Report, &ProblemError{Problem{
			Type: "examen:asks", Title: "The load waits for somebody to confirm it", Status: 409,
			Detail: "Job " + job.Id,
		}}
	}
	if err == nil && job.State != JobDone {
		err = &ProblemError{job.Problem}
	}
	return job.Report, err
}
