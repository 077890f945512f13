package explain

import (
	"strconv"
	"strings"
)

// Done says what a statement has done, by the tag that the server gives it: "UPDATE 3" is "3 rows changed", "CREATE
// TABLE" is "Table made". It is "" for what only shows rows. makes is what it made of a query's rows, as "table";
// notices are what the server remarked, such as that there was nothing to be done.
func Done(tag, makes string, notices []string) string {
	words := strings.Fields(tag)
	if len(words) == 0 {
		return "Done"
	}
	if len(notices) == 1 && strings.HasSuffix(notices[0], ", skipping") {
		return "Nothing to be done"
	}
	for _, said := range notices {
		if done, ok := inVain[said+" "+words[0]]; ok {
			return done
		}
	}
	if n, err := strconv.ParseInt(words[len(words)-1], 10, 64); err == nil {
		if makes != "" {
			return capital(makes) + " made, with " + plural(n, "row")
		}
		done, ok := map[string]string{
			"INSERT": "added", "UPDATE": "changed", "DELETE": "removed", "MERGE": "added, changed or removed",
		}[words[0]]
		if !ok {
			return ""
		}
		return plural(n, "row") + " " + done
	}
	if said, ok := doneWords[tag]; ok {
		return said
	}
	object := strings.ToLower(strings.Join(words[1:], " "))
	switch words[0] {
	case "CREATE":
		return capital(object) + " made"
	case "DROP":
		return capital(object) + " dropped"
	case "ALTER":
		return capital(object) + " altered"
	}
	return "Done: " + tag
}

// inVain says statements that found a transaction as they did not expect it, by the server's remark and the tag.
var inVain = map[string]string{
	"there is no transaction in progress COMMIT": "Nothing to commit: no transaction is open, or it waited too " +
		"long and was rolled back",
	"there is no transaction in progress ROLLBACK":     "Nothing to roll back: no transaction is open",
	"there is already a transaction in progress BEGIN": "Nothing begun: the transaction that is open goes on",
	"there is already a transaction in progress START": "Nothing begun: the transaction that is open goes on",
}

var doneWords = map[string]string{
	"EXPLAIN":                   "",
	"SHOW":                      "",
	"BEGIN":                     "Transaction begun",
	"START TRANSACTION":         "Transaction begun",
	"COMMIT":                    "Committed",
	"ROLLBACK":                  "Rolled back",
	"SAVEPOINT":                 "Savepoint set",
	"RELEASE":                   "Savepoint released",
	"TRUNCATE TABLE":            "Table emptied",
	"REFRESH MATERIALIZED VIEW": "Materialized view refreshed",
	"CREATE TABLE AS":           "Table made",
	"COMMENT":                   "Comment set",
	"DO":                        "Block run",
	"CALL":                      "Procedure called",
	"LOCK TABLE":                "Table locked",
	"SET":                       "Setting changed",
	"RESET":                     "Setting changed",
	"SET CONSTRAINTS":           "Constraints' time set",
	"ANALYZE":                   "Statistics collected",
	"REINDEX":                   "Index made anew",
	"PREPARE":                   "Statement prepared",
	"DEALLOCATE":                "Prepared statement dropped",
	"DECLARE CURSOR":            "Cursor opened",
	"CLOSE CURSOR":              "Cursor closed",
}

func capital(text string) string {
	if text == "" {
		return text
	}
	return strings.ToUpper(text[:1]) + text[1:]
}
