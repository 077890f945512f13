package export

import (
	_ "embed"
	"html/template"
	"io"
	"time"
)

// A Slip hands somebody a one-time password.
type Slip struct {
	Login, Name, Password string
	Until                 time.Time // until when it is taken
}

//go:embed slips.html
var slipsText string

var slipsPage = template.Must(template.New("slips").Parse(slipsText))

// Slips writes a page of slips for printing and cutting: each says where to log in, as whom and with what.
func Slips(to io.Writer, address, course string, slips []Slip) error {
	return slipsPage.Execute(to, map[string]any{"Address": address, "Course": course, "Slips": slips})
}
