package export

import (
	"io"
	"time"

	ics "github.com/arran4/golang-ical"
)

// A Due is a paper's due time in a calendar.
type Due struct {
	ID, Title string // ID is the same whenever the calendar is read
	At        time.Time
	Note      string // what is to be known of it; "" for nothing
}

// Calendar writes due times as an iCalendar (RFC 5545). Each is an event that ends when the paper is due, and takes no
// time.
func Calendar(to io.Writer, name string, made time.Time, due []Due) error {
	c := ics.NewCalendarFor("Examen")
	c.SetProductId("-//Examen//EN")
	c.SetMethod(ics.MethodPublish)
	c.SetName(name)
	c.SetXWRCalName(name)
	c.SetRefreshInterval("PT1H")
	for _, d := range due {
		e := c.AddEvent(d.ID)
		e.SetDtStampTime(made)
		e.SetStartAt(d.At)
		e.SetEndAt(d.At)
		e.SetSummary("Due: " + d.Title)
		if d.Note != "" {
			e.SetDescription(d.Note)
		}
		e.SetTimeTransparency(ics.TransparencyTransparent)
	}
	return c.SerializeTo(to, ics.WithNewLineWindows)
}
