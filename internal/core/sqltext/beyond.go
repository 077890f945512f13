package sqltext

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// forbidden finds what no learner's query may use, though the rights on the server cannot take it away: it is built
// into the language. Empty is nothing.
func forbidden(stmt *pg.Node) (what string, location int32) {
	found := func(name string, at int32) {
		if what == "" {
			what, location = name, max(at, 0)
		}
	}
	walk(stmt.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.RangeTableFunc:
			found("XMLTABLE, which cannot be stopped,", n.Location)
		case *pg.XmlExpr:
			if n.Op == pg.XmlExprOp_IS_XMLPARSE || n.Op == pg.XmlExprOp_IS_DOCUMENT {
				found("reading text as XML, which cannot be stopped,", n.Location)
			}
		case *pg.XmlSerialize:
			found("XMLSERIALIZE, which cannot be stopped,", n.Location)
		case *pg.TypeName:
			switch name := strings.TrimPrefix(LastName(n.Names), "_"); name {
			case "regrole":
				found("the type regrole, which tells of the server's roles,", n.Location)
			case "xml":
				found("the type xml, which cannot be stopped from being read,", n.Location)
			case "aclitem":
				found("the type aclitem, which tells of the server's roles,", n.Location)
			}
		}
	})
	return what, location
}

// LastName returns the last part of a name; "" of none.
func LastName(names []*pg.Node) string {
	if len(names) == 0 {
		return ""
	}
	return names[len(names)-1].GetString_().GetSval()
}

// Functions that tell of the server, the session or the time that passes. now() and CURRENT_DATE are none of them: they
// stand still while a query runs.
var beyondRows = strings.Fields(
	`pg_sleep pg_sleep_for pg_sleep_until clock_timestamp statement_timestamp timeofday current_database
current_schema current_schemas getpgusername
	current_setting version txid_current has_any_column_privilege has_column_privilege has_database_privilege
	has_foreign_data_wrapper_privilege has_function_privilege has_language_privilege
	has_parameter_privilege has_schema_privilege has_sequence_privilege has_server_privilege has_table_privilege
	has_tablespace_privilege has_type_privilege row_security_active
	to_regclass to_regcollation to_regnamespace to_regoper to_regoperator to_regproc to_regprocedure to_regrole
	to_regtype col_description obj_description format_type aclexplode`,
)

// Types by which objects are told by number, and columns that every table has besides its own.
var (
	numberTypes = strings.Fields(
		"oid regclass regproc regprocedure regoper regoperator regtype regnamespace regconfig regdictionary " +
			"regcollation xid xid8 tid cid",
	)
	systemColumns = strings.Fields("xmin xmax cmin cmax ctid tableoid")
)

// Beyond finds what a query uses besides the rows of the dataset's tables: what tells it where, when and as whom it
// runs. A submission may not, unless the exercise's own answers do: it could behave otherwise where it is checked than
// where its author sees it. The error is nil where there is nothing.
func (q *Query) Beyond() *NotAllowed { return q.beyond() }

func beyond(stmt *pg.Node, source string) *NotAllowed {
	var refusal *NotAllowed
	found := func(what string, location int32) {
		if refusal == nil {
			refusal = &NotAllowed{Title: "Not allowed in an answer",
				Detail: fmt.Sprintf(
					"%s tells where or when a query runs, and an answer may depend on the rows alone: leave it out "+
						"of what you submit. In a run it can be used.",
					what,
				),
				Place: PlaceAt(source, int(location))}
		}
	}
	walk(stmt.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.FuncCall:
			name := LastName(n.Funcname)
			if slices.Contains(beyondRows, name) || strings.HasPrefix(name, "pg_") && name != "pg_typeof" {
				found(name+"()", n.Location)
			}
		case *pg.SQLValueFunction:
			switch n.Op {
			case pg.SQLValueFunctionOp_SVFOP_CURRENT_ROLE, pg.SQLValueFunctionOp_SVFOP_CURRENT_USER,
				pg.SQLValueFunctionOp_SVFOP_USER, pg.SQLValueFunctionOp_SVFOP_SESSION_USER,
				pg.SQLValueFunctionOp_SVFOP_CURRENT_CATALOG, pg.SQLValueFunctionOp_SVFOP_CURRENT_SCHEMA:
				found(strings.TrimPrefix(n.Op.String(), "SVFOP_"), n.Location)
			}
		case *pg.RangeVar:
			if n.Schemaname == "pg_catalog" || n.Schemaname == "information_schema" || n.Schemaname == "" &&
				strings.HasPrefix(n.Relname, "pg_") {
				found("The catalogue's "+n.Relname, n.Location)
			}
		case *pg.TypeName:
			if name := strings.TrimPrefix(LastName(n.Names), "_"); slices.Contains(numberTypes, name) {
				found("The type "+name, n.Location)
			}
		case *pg.ColumnRef:
			if name := LastName(n.Fields); slices.Contains(systemColumns, name) {
				found("The column "+name+", which every table has,", n.Location)
			}
		}
	})
	return refusal
}
