package sqltext

import (
	"slices"
	"strings"
)

// nearest returns the words that resemble a word, the most similar first: at most one letter in three is changed,
// missing or added.
func nearest(word string, words []string) []string {
	type like struct {
		word  string
		edits int
	}
	var likes []like
	for _, w := range words {
		most := max(1, min(len(word), len(w))/3)
		if edits := distance(word, w, most); edits <= most && edits > 0 {
			likes = append(likes, like{w, edits})
		}
	}
	slices.SortStableFunc(likes, func(a, b like) int { return a.edits - b.edits })
	out := make([]string, len(likes))
	for i, l := range likes {
		out[i] = l.word
	}
	return out
}

// Nearest returns the most similar word, or "" if none is similar. Case does not count.
func Nearest(word string, words []string) string {
	lower := make([]string, len(words))
	for i, w := range words {
		lower[i] = strings.ToLower(w)
	}
	if i := slices.Index(lower, strings.ToLower(word)); i >= 0 {
		return words[i]
	}
	if found := nearest(strings.ToLower(word), lower); len(found) > 0 {
		return words[slices.Index(lower, found[0])]
	}
	return ""
}

// distance counts the letters to change, add, leave out or swap with their neighbour to make one word the other
// (Damerau 1964, as optimal string alignment); it may stop above most.
func distance(a, b string, most int) int {
	if len(a)-len(b) > most || len(b)-len(a) > most {
		return most + 1
	}
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}
