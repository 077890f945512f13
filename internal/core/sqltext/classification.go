package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Classification says how a setup script's statement is to be taken. The zero value: it is run.
type Classification struct {
	// it says nothing of tables and rows, only of whom they belong to and who may use them: it can be passed over
	Irrelevant bool
	Refused    string // why it is not run: it would need rights that setup scripts do not have
	Database   string // the name of a database that it makes or drops
	Instead    string // what is run in its place: the same without what says whom something belongs to
}

// MayNotRun tells by a statement's first words, in upper case, whether [Classify] has to look at it. It spares parsing
// all others.
func MayNotRun(head []string) bool {
	switch head[0] {
	case "ALTER", "GRANT", "REVOKE", "COMMENT", "SECURITY", "CREATE", "DROP", "LOAD", "CHECKPOINT", "COPY", "REASSIGN":
		return len(head) == 1 || !slices.Contains(
			[]string{"TABLE", "INDEX", "UNIQUE", "VIEW", "SEQUENCE", "FUNCTION", "TYPE", "TRIGGER"}, head[1],
		) || head[0] == "ALTER"
	case "SET", "RESET":
		return len(head) > 1 && (head[1] == "ROLE" || head[1] == "SESSION" || head[1] == "LOCAL")
	}
	return false
}

const ownRights = "setup scripts run as an owner of their tables without a superuser's rights, and "

// Classify says how a statement of a setup script is to be taken. One that cannot be read is run, so that the database
// says what is wrong.
func Classify(statement string) Classification {
	tree, err := parse(statement)
	if err != nil || len(tree.Stmts) != 1 {
		return Classification{}
	}
	refused := func(what string) Classification { return Classification{Refused: ownRights + what} }
	switch n := tree.Stmts[0].Stmt.Node.(type) {
	case *pg.Node_AlterOwnerStmt, *pg.Node_GrantStmt, *pg.Node_GrantRoleStmt, *pg.Node_AlterDefaultPrivilegesStmt,
		*pg.Node_SecLabelStmt,
		*pg.Node_AlterDatabaseStmt, *pg.Node_AlterDatabaseSetStmt, *pg.Node_CreatePublicationStmt,
		*pg.Node_AlterPublicationStmt,
		*pg.Node_CreateSubscriptionStmt, *pg.Node_AlterSubscriptionStmt, *pg.Node_CreateEventTrigStmt,
		*pg.Node_AlterEventTrigStmt,
		*pg.Node_CheckPointStmt, *pg.Node_ReassignOwnedStmt, *pg.Node_DropOwnedStmt, *pg.Node_DropSubscriptionStmt,
		*pg.Node_CreateRoleStmt, *pg.Node_AlterRoleStmt, *pg.Node_AlterRoleSetStmt, *pg.Node_DropRoleStmt:
		return Classification{Irrelevant: true}
	case *pg.Node_DropStmt:
		return Classification{
			Irrelevant: slices.Contains(ofOthers, n.DropStmt.RemoveType) &&
				n.DropStmt.RemoveType != pg.ObjectType_OBJECT_EXTENSION,
		}
	case *pg.Node_CreatePolicyStmt:
		return Classification{Irrelevant: ofRoles(n.CreatePolicyStmt.Roles)}
	case *pg.Node_AlterPolicyStmt:
		return Classification{Irrelevant: ofRoles(n.AlterPolicyStmt.Roles)}
	case *pg.Node_CreateSchemaStmt:
		role := n.CreateSchemaStmt.Authrole
		if role == nil {
			return Classification{}
		}
		if n.CreateSchemaStmt.Schemaname == "" {
			n.CreateSchemaStmt.Schemaname = role.Rolename
		}
		n.CreateSchemaStmt.Authrole = nil
		without, err := deparse(tree)
		if err != nil {
			return Classification{}
		}
		return Classification{Irrelevant: true, Instead: without}
	case *pg.Node_CreatedbStmt:
		return Classification{Database: n.CreatedbStmt.Dbname}
	case *pg.Node_DropdbStmt:
		return Classification{Database: n.DropdbStmt.Dbname}
	case *pg.Node_AlterTableStmt:
		return Classification{Irrelevant: onlyOwner(n.AlterTableStmt)}
	case *pg.Node_CommentStmt:
		return Classification{Irrelevant: slices.Contains(ofOthers, n.CommentStmt.Objtype)}
	case *pg.Node_VariableSetStmt:
		name := n.VariableSetStmt.Name
		return Classification{Irrelevant: name == "role" || name == "session_authorization"}
	case *pg.Node_CreateExtensionStmt: // so is CREATE LANGUAGE read, too
		return Classification{Irrelevant: strings.EqualFold(n.CreateExtensionStmt.Extname, "plpgsql")}
	case *pg.Node_CreatePlangStmt:
		return refused("cannot add languages: plpgsql and sql are there")
	case *pg.Node_AlterSystemStmt:
		return refused("cannot change the server's settings: leave ALTER SYSTEM out")
	case *pg.Node_CreateTableSpaceStmt, *pg.Node_DropTableSpaceStmt:
		return refused("cannot make or drop tablespaces: leave this out")
	case *pg.Node_LoadStmt:
		return refused("cannot load libraries: leave LOAD out")
	case *pg.Node_CopyStmt:
		switch {
		case n.CopyStmt.IsProgram:
			return refused("cannot run programs")
		case n.CopyStmt.Filename != "":
			return refused(
				"cannot read or write the server's files: write \\copy table FROM 'file.csv' WITH (FORMAT csv, " +
					"HEADER), with the file beside the script",
			)
		}
	}
	return Classification{}
}

// ofOthers are the objects that belong to others, so that a comment on them is not the script's to make.
var ofOthers = []pg.ObjectType{
	pg.ObjectType_OBJECT_EXTENSION,
	pg.ObjectType_OBJECT_DATABASE,
	pg.ObjectType_OBJECT_ROLE,
	pg.ObjectType_OBJECT_PUBLICATION,
	pg.ObjectType_OBJECT_SUBSCRIPTION,
	pg.ObjectType_OBJECT_EVENT_TRIGGER,
	pg.ObjectType_OBJECT_TABLESPACE,
	pg.ObjectType_OBJECT_LANGUAGE,
}

// ofRoles tells whether a policy is for certain roles, and not for all.
func ofRoles(roles []*pg.Node) bool {
	return slices.ContainsFunc(
		roles, func(n *pg.Node) bool { return n.GetRoleSpec().GetRoletype() == pg.RoleSpecType_ROLESPEC_CSTRING },
	)
}

func onlyOwner(alter *pg.AlterTableStmt) bool {
	for _, cmd := range alter.Cmds {
		switch cmd.GetAlterTableCmd().GetSubtype() {
		case pg.AlterTableType_AT_ChangeOwner,
			pg.AlterTableType_AT_ReplicaIdentity,
			pg.AlterTableType_AT_DisableTrigAll,
			pg.AlterTableType_AT_EnableTrigAll:
		default:
			return false
		}
	}
	return true
}

// ClientEncoding reads SET client_encoding = name, and SET NAMES name.
func ClientEncoding(statement string) (name string, ok bool) {
	tree, err := parse(statement)
	if err != nil || len(tree.Stmts) != 1 {
		return "", false
	}
	set := tree.Stmts[0].Stmt.GetVariableSetStmt()
	if set == nil || set.Name != "client_encoding" || len(set.Args) != 1 {
		return "", false
	}
	return set.Args[0].GetAConst().GetSval().GetSval(), true
}

// Makes tells whether a statement makes a table, view or type of a name, which may carry its schema.
func Makes(statement, name string) bool {
	tree, err := parse(statement)
	if err != nil || len(tree.Stmts) != 1 {
		return false
	}
	named := func(r *pg.RangeVar) bool {
		return r.GetRelname() == name || r.GetSchemaname()+"."+r.GetRelname() == name
	}
	inList := func(names []*pg.Node) bool {
		return len(names) > 0 && (names[len(names)-1].GetString_().GetSval() == name || len(names) == 2 &&
			names[0].GetString_().GetSval()+"."+names[1].GetString_().GetSval() == name)
	}
	switch n := tree.Stmts[0].Stmt.Node.(type) {
	case *pg.Node_CreateStmt:
		return named(n.CreateStmt.Relation)
	case *pg.Node_CreateTableAsStmt:
		return named(n.CreateTableAsStmt.Into.GetRel())
	case *pg.Node_ViewStmt:
		return named(n.ViewStmt.View)
	case *pg.Node_CreateSeqStmt:
		return named(n.CreateSeqStmt.Sequence)
	case *pg.Node_CreateEnumStmt:
		return inList(n.CreateEnumStmt.TypeName)
	case *pg.Node_CreateDomainStmt:
		return inList(n.CreateDomainStmt.Domainname)
	case *pg.Node_CompositeTypeStmt:
		return named(n.CompositeTypeStmt.Typevar)
	}
	return false
}
