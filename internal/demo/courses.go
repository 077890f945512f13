package demo

import (
	"time"

	"examen/internal/client"
)

// The papers that are spoken of here; all are in the pack.
const (
	season    = "before-the-season"
	firstLook = "first-look"
	missing   = "what-is-missing"
	honeyRoom = "in-the-honey-room"
)

// A person is a member of a course.
type person struct {
	name, display, group string
	role                 client.Role // "" for a learner
}

// A group is a course with all that is set for it.
type group struct {
	slug, title, zone string
	hour              int // of the day at which most of its learners sit down to work
	members           []person
	papers            []paper
}

// A paper is how a paper is set for a course. Its times are days from today, at an hour of the day.
type paper struct {
	slug       string
	opens, due [2]int
	rules      client.PaperRules
	released   bool
	extensions []extension
}

// An extension is for one learner or for a group: by days after the due time, or by minutes.
type extension struct {
	client.NewExtension
	days int
}

// hourOf is an hour of the day that many days from now, by the clocks of a place.
func hourOf(now time.Time, days, hour int, zone string) time.Time {
	place, err := time.LoadLocation(zone)
	if err != nil {
		place = time.UTC
	}
	now = now.In(place)
	return time.Date(now.Year(), now.Month(), now.Day()+days, hour, 0, 0, 0, place)
}

// groups are the courses. The learners of the first have passwords that the demo prints; the first of them has begun
// the paper that is open, the last has begun nothing.
var groups = []group{
	{
		slug: "evening-group", title: "Evening group", hour: 18,
		members: []person{
			{name: "robin", display: "Robin Ashgrove", group: "Durn"},
			{name: "alma", display: "Alma Quillon", group: "Durn"},
			{name: "bento", display: "Bento Carrow", group: "Cold Beck"},
			{name: "chidi", display: "Chidi Marlowe", group: "Cold Beck"},
			{name: "dagny", display: "Dagny Holt", group: "Durn"},
			{name: "elio", display: "Elio Brandt", group: "Cold Beck"},
			{name: "fia", display: "Fia Torvald", group: "Durn"},
			{name: "goran", display: "Goran Pell", group: "Cold Beck"},
			{name: "hana", display: "Hana Wickstead", group: "Durn"},
			{name: "idris", display: "Idris Calloway", group: "Cold Beck"},
			{name: "jun", display: "Jun Amberley", group: "Durn"},
			{name: "kira", display: "Kira Novell", group: "Durn"},
			{name: "luca", display: "Luca Penhallow", group: "Cold Beck"},
			{name: "mara", display: "Mara Ostrander", group: "Durn"},
			{name: "noor", display: "Noor Fairweather", group: "Cold Beck"},
			{name: "otto", display: "Otto Grimsby", group: "Durn"},
			{name: "petra", display: "Petra Lindgarth", group: "Cold Beck"},
			{name: "ravi", display: "Ravi Thornbury", group: "Durn"},
			{name: "selma", display: "Selma Kestrel", group: "Cold Beck"},
			{name: "tarek", display: "Tarek Aldous", group: "Durn"},
			{name: "una", display: "Una Merriweather", group: "Cold Beck"},
			{name: "viggo", display: "Viggo Stark", group: "Cold Beck"},
			{name: "yusra", display: "Yusra Dunmore", group: "Durn"},
			{name: "wren", display: "Wren Halloway", group: "Cold Beck"},
			{name: AssistantName, display: "Linden Farrow", role: client.Assistant},
		},
		papers: []paper{
			{
				slug: season, opens: [2]int{-35, 8}, due: [2]int{-21, 20}, released: true,
				rules: client.PaperRules{
					Late: client.LateRules{Minutes: 48 * 60, Steps: []client.LateStep{
						{Minutes: 24 * 60, Percent: 10}, {Minutes: 48 * 60, Percent: 30},
					}},
					Tell: client.TellReleased, Answers: true,
					Partial: map[string]int{"row-order": 50, "row-order-key": 50},
				},
				extensions: []extension{{client.NewExtension{
					Learner: "fia", Reason: "Was with the hives in the heather, where there is no connection.",
				}, 5}},
			},
			{
				slug: firstLook, opens: [2]int{-12, 8}, due: [2]int{14, 22},
				extensions: []extension{{client.NewExtension{
					Learner: "selma", Reason: "Is away for the honey market until the week after.",
				}, 7}},
			},
			{slug: missing, opens: [2]int{15, 8}, due: [2]int{29, 22}},
			{
				slug: honeyRoom, opens: [2]int{0, 0}, due: [2]int{3, 20},
				rules: client.PaperRules{
					Tell: client.TellReleased, Examination: client.ExaminationRules{Minutes: 45, Shuffle: true},
				},
				extensions: []extension{{client.NewExtension{
					Learner: "idris", Minutes: 15, Reason: "Writes with one hand: the other is in plaster.",
				}, 0}},
			},
		},
	},
	{
		slug: "morning-group", title: "Morning group", zone: "Europe/Lisbon", hour: 9,
		members: []person{
			{name: "abel", display: "Abel Winterbourne", group: "Moor side"},
			{name: "brisa", display: "Brisa Hollin", group: "Moor side"},
			{name: "corin", display: "Corin Askew", group: "River side"},
			{name: "delphi", display: "Delphi Marrack", group: "River side"},
			{name: "emeka", display: "Emeka Strand", group: "Moor side"},
			{name: "freya", display: "Freya Langholm", group: "River side"},
			{name: "gwen", display: "Gwen Tarrant", group: "Moor side"},
			{name: "hiro", display: "Hiro Sandoval", group: "River side"},
			{name: "ilse", display: "Ilse Verwood", group: "Moor side"},
			{name: "jonah", display: "Jonah Pellew", group: "River side"},
			{name: "katya", display: "Katya Drummond", group: "Moor side"},
			{name: "leif", display: "Leif Ormond", group: "River side"},
			{name: "bryony", display: "Bryony Vane", role: client.Instructor},
		},
		papers: []paper{
			{
				slug: season, opens: [2]int{-63, 8}, due: [2]int{-49, 20},
				rules: client.PaperRules{Counts: client.CountsLast},
			},
			{
				slug: missing, opens: [2]int{-8, 8}, due: [2]int{4, 12},
				rules: client.PaperRules{Attempts: 6, Late: client.LateRules{Minutes: 12 * 60, PerHour: 5}},
				extensions: []extension{{client.NewExtension{
					Group: "Moor side", Reason: "The road over the moor was closed by snow.",
				}, 3}},
			},
			{
				slug: honeyRoom, opens: [2]int{20, 8}, due: [2]int{20, 13},
				rules: client.PaperRules{Tell: client.TellReleased, Examination: client.ExaminationRules{Minutes: 60}},
			},
		},
	},
}

// MemberCount returns how many people there are in the courses.
func MemberCount() (n int) {
	for _, g := range groups {
		n += len(g.members)
	}
	return n
}
