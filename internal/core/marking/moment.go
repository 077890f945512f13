package marking

import (
	"fmt"
	"time"
)

// ParseMoment reads a time as people write it: 2026-12-20, '2026-12-20 18:00', or with a zone of its own
// 2026-12-20T18:00:00Z. Without one it is by the clocks of the place given. A date alone means its first minute, or
// with end its last. An hour that the clocks skip is an error; one that they show twice is the first of the two, or
// with end the second, so that nobody has less time than they read.
func ParseMoment(text string, place *time.Location, end bool) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	for _, layout := range []string{"2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02 15:04:05", time.DateOnly} {
		wall, err := time.Parse(layout, text)
		if err != nil {
			continue
		}
		if layout == time.DateOnly && end {
			wall = wall.Add(24*time.Hour - time.Minute)
		}
		return byTheClocks(wall, place, end)
	}
	return time.Time{}, fmt.Errorf(
		"%.40q is not a valid time; use 2026-12-20, '2026-12-20 18:00' or 2026-12-20T18:00:00Z", text)
}

// byTheClocks is when the clocks of a place show what a time in UTC shows.
func byTheClocks(wall time.Time, place *time.Location, end bool) (time.Time, error) {
	var found []time.Time
	for _, near := range []time.Time{wall.Add(-24 * time.Hour), wall.Add(24 * time.Hour)} {
		_, offset := near.In(place).Zone() // the clocks change at most once in between
		at := wall.Add(-time.Duration(offset) * time.Second).In(place)
		if at.Format(time.DateTime) == wall.Format(time.DateTime) {
			found = append(found, at)
		}
	}
	if len(found) == 0 {
		return time.Time{}, fmt.Errorf("%s does not come: the clocks of %s go forward over it; choose another time",
			wall.Format("15:04 on 2 January 2006"), place)
	}
	first, last := found[0], found[len(found)-1]
	if last.Before(first) {
		first, last = last, first
	}
	if end {
		return last, nil
	}
	return first, nil
}
