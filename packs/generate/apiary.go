package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"time"
)

// apiary makes the rows of the dataset of the same name.
type apiary struct {
	w *bufio.Writer
	r *rand.Rand
}

func newApiary(w *bufio.Writer) *apiary { return &apiary{w, seeded(7)} }

func (a *apiary) write() {
	a.places()
	a.people()
	hives := a.hives()
	a.inspections(hives)
	a.harvests(hives)
	a.sales()
}

var apiaries = []string{
	"Bell Meadow", "Birch Hollow", "Fern Bank", "Larkspur", "Linden Row", "Mill Race", "Old Orchard", "Quarry Edge",
	"Stony Ford", "Thyme Slope", "Upper Moor", "Willow End",
}

func (a *apiary) places() {
	valleys := []string{
		"Aldervale", "Brackendale", "Aldervale", "Cold Beck", "Brackendale", "Cold Beck", "Aldervale", "Durn",
		"Cold Beck", "Durn", "Durn", "Brackendale",
	}
	var rows []string
	for i, name := range apiaries {
		rows = append(
			rows,
			row(i+1, name, valleys[i], 120+a.r.IntN(45)*10, day(1998+a.r.IntN(24), 3+a.r.IntN(4), 1+a.r.IntN(28))),
		)
	}
	table(a.w, "apiary", rows)
}

var keepers = []string{
	"Ada Thistlewood",
	"Bram Okafor",
	"Cleo Marchetti",
	"Dov Lindqvist",
	"Edda Rowan",
	"Finn Abara",
	"Greta Solano",
	"Hugo Pennant",
	"Ines Varga",
	"Jory Tamm",
	"Kaya Lorne",
	"Levi Ostrom",
	"Mina Castell",
	"Nils Oduya",
	"Opal Ferrand",
	"Pia Halvorsen",
	"Quinn Adair",
	"Rosa Bellweather",
	"Sami Dracott",
	"Tove Iversen",
	"Ugo Maddern",
	"Vera Stirling",
	"Wim Castell",
	"Yara Penrose",
}

func (a *apiary) people() {
	villages := []string{"Upper Durn", "Alderfoot", "Beckside", "Brackenford", "Nether Durn"}
	var rows []string
	for i, name := range keepers {
		var email, mentor any
		if i%5 != 3 {
			email = fmt.Sprintf(
				"%s@heatherhill.example",
				[]string{"ada", "bram", "cleo", "dov", "edda", "finn", "greta", "hugo", "ines", "jory", "kaya", "levi",
					"mina", "nils", "opal", "pia", "quinn", "rosa", "sami", "tove", "ugo", "vera", "wim", "yara"}[i],
			)
		}
		if i >= 4 {
			mentor = 1 + a.r.IntN(min(i, 9))
		}
		rows = append(
			rows,
			row(
				i+1, name, villages[a.r.IntN(len(villages))], day(2000+i, 1+a.r.IntN(12), 1+a.r.IntN(28)), email,
				mentor,
			),
		)
	}
	table(a.w, "beekeeper", rows)
	rows = nil
	for place := range apiaries {
		first := a.r.IntN(len(keepers))
		for k := range 1 + a.r.IntN(3) {
			rows = append(
				rows, row(place+1, (first+k*5)%len(keepers)+1, day(2022+a.r.IntN(3), 1+a.r.IntN(12), 1+a.r.IntN(28))),
			)
		}
	}
	table(a.w, "care", rows)
}

// A hive that others refer to.
type hive struct {
	id       int
	strength int // -1: empty
}

func (a *apiary) hives() []hive {
	names := []string{
		"Amber", "Basil", "Clover", "Dandelion", "Elder", "Foxglove", "Gorse", "Heather", "Iris", "Juniper",
	}
	kinds := []string{"stacked", "stacked", "stacked", "long", "long", "skep"}
	colours := []string{"white", "blue", "green", "yellow", "unpainted"}
	var hives []hive
	var rows []string
	for place := range apiaries {
		for _, name := range names[:6+a.r.IntN(len(names)-5)] {
			h := hive{id: len(hives) + 1, strength: 1 + a.r.IntN(10)}
			var strength, queen any
			if a.r.IntN(9) == 0 {
				h.strength = -1
			} else {
				strength = h.strength
				if a.r.IntN(8) > 0 {
					queen = 2022 + a.r.IntN(5)
				}
			}
			rows = append(
				rows,
				row(h.id, place+1, name, kinds[a.r.IntN(len(kinds))], colours[a.r.IntN(len(colours))], strength, queen),
			)
			hives = append(hives, h)
		}
	}
	table(a.w, "hive", rows)
	return hives
}

func (a *apiary) inspections(hives []hive) {
	remarks := []any{
		nil, nil, nil, "calm", "calm", "restless", "queen cell found", "needs more room", "fed 50% syrup",
		"moved two frames", "Calm, much pollen",
	}
	var rows []string
	for week := range 26 {
		for _, h := range hives {
			if h.strength < 0 || a.r.IntN(3) == 0 {
				continue
			}
			var mites any
			if a.r.IntN(4) > 0 {
				mites = max(0, a.r.IntN(12)-3)
			}
			d := day(2026, 3, 30).AddDate(0, 0, 7*week+a.r.IntN(6))
			rows = append(
				rows,
				row(
					len(rows)+1, h.id, 1+a.r.IntN(len(keepers)-2), d, min(h.strength, 1+a.r.IntN(8)), mites,
					remarks[a.r.IntN(len(remarks))],
				),
			)
		}
	}
	table(a.w, "inspection", rows)
}

var gradeCodes = []string{"AC", "HE", "LI", "SU", "WO"}

func (a *apiary) harvests(hives []hive) {
	names := []string{"Acacia", "Heather", "Linden", "Summer blossom", "Woodland"}
	var rows []string
	for i, code := range gradeCodes {
		rows = append(rows, row(code, names[i], []float64{14.5, 21, 16, 11.5, 16}[i]))
	}
	rows = append(rows, row("CO", "Comb", 28.0)) // never harvested yet
	table(a.w, "grade", rows)
	rows = nil
	for _, h := range hives {
		for range h.strength / 2 {
			moisture := fmt.Sprintf("%.3f", 0.155+float64(a.r.IntN(40))/1000)
			if a.r.IntN(5) == 0 {
				moisture = "NULL"
			}
			d := day(2026, 5, 20).AddDate(0, 0, a.r.IntN(100))
			rows = append(
				rows,
				row(
					len(rows)+1, h.id, gradeCodes[a.r.IntN(len(gradeCodes))], d, float64(16+a.r.IntN(100))/4,
				)+", "+moisture,
			)
		}
	}
	table(a.w, "harvest", rows)
}

func (a *apiary) sales() {
	buyers := []string{
		"Bakery on the Bridge", "Beckside Inn", "Café Harebell", "Durn Dairy", "Market stall 9", "Moor House",
		"O'Malley's Kitchen", "The Copper Pot", "Tea at Tarn's", "Village hall",
	}
	towns := []string{
		"Alderfoot", "Beckside", "Port Lune", "Upper Durn", "Port Lune", "Marrick", "Alderfoot", "Marrick", "Port Lune",
		"Alderfoot",
	}
	var rows []string
	for i, name := range buyers {
		rows = append(rows, row(i+1, name, towns[i], day(2015+a.r.IntN(11), 1+a.r.IntN(12), 1+a.r.IntN(28))))
	}
	table(a.w, "buyer", rows)
	prices := []float64{14.5, 21, 16, 11.5, 16}
	var sales, lines []string
	for s := 1; s <= 420; s++ {
		at := day(2026, 6, 1).AddDate(0, 0, a.r.IntN(150)).Add(time.Duration(36+a.r.IntN(36)) * 15 * time.Minute)
		var paid any
		if a.r.IntN(6) > 0 {
			paid = day(at.Year(), int(at.Month()), at.Day()).AddDate(0, 0, a.r.IntN(30))
		}
		sales = append(sales, row(s, 1+a.r.IntN(len(buyers)-2), at, paid)) // the last two have not bought yet
		for i, code := range gradeCodes {
			if a.r.IntN(3) > 0 && i > 0 {
				continue
			}
			lines = append(lines, row(s, code, float64(2+a.r.IntN(60))/2, prices[i]-float64(a.r.IntN(4))/2))
		}
	}
	table(a.w, "sale", sales)
	table(a.w, "sale_line", lines)
}
