package explain

import "strings"

// changing says errors of statements that change rows or define something, by their SQLSTATEs (Appendix A of
// PostgreSQL's documentation).
var changing = map[string]string{
	"22001": "A text is longer than its column takes: the type says how many characters there may be.",
	"23502": "A row would have NULL in a column that takes none: give the column a value, or a default.",
	"23503": "A row refers to one that is not there, or one is removed to which others refer: look at which rows " +
		"have to be there first, or go first.",
	"23505": "There would be two rows with the same values in columns that are to tell rows apart: a key.",
	"23514": "A row does not meet a CHECK of its table: the message names the constraint.",
	"23P01": "A row overlaps with another where the table excludes that: the message names the constraint.",
	"25001": "This statement cannot stand in a transaction: run it by itself, outside BEGIN and COMMIT.",
	"25P01": "There is no transaction: BEGIN one first.",
	"25P02": "A statement of this transaction has failed, so that none of it can be committed: end it by " +
		"ROLLBACK, or go " +
		"back to a savepoint, and begin anew.",
	"2BP01": "Others depend on it: drop them first, or with it by CASCADE, once you have looked at what goes too.",
	"3B001": "There is no savepoint of that name in this transaction.",
	"40001": "Another transaction has changed the same rows meanwhile: roll back, and do it again.",
	"40P01": "Two transactions wait for each other, and this one was ended so that the other can go on: do it again.",
	"428C9": "The column's values are generated, and cannot be given: leave the column out.",
	"42701": "The table has two columns of that name, or would have.",
	"42710": "There is one of that name already: choose another, or drop that one first.",
	"42P07": "There is a table, view, sequence or index of that name already: choose another name, or drop that " +
		"one first.",
	"42P16": "The definition contradicts itself, or what is there: the message says where.",
	"55P03": "It waited for what another run of yours has not yet committed: end that, and run this again.",
}

// changed says an error of a statement that changes something; "" for any other.
func changed(e QueryError) string {
	switch {
	case e.Code == noPrivilege && strings.Contains(e.Message, "must be owner"):
		return "It belongs to the database itself, and not to your copy."
	case e.Code == noPrivilege && strings.HasSuffix(e.Message, "is not available in a copy"):
		return "A copy is for tables and what belongs to them: leave this out."
	}
	return changing[e.Code]
}
