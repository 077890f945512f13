package sqltext

import (
	pg "github.com/pganalyze/pg_query_go/v6"
)

// NoBearing tells whether a statement of a setup script says nothing of tables and rows, only of whom they belong to and
// who may use them, or makes or names a database of its own: such statements need rights that setup scripts do not have, and can be
// passed over.
func NoBearing(statement string) bool {
	tree, err := pg.Parse(statement)
	if err != nil || len(tree.Stmts) != 1 {
		return false
	}
	switch n := tree.Stmts[0].Stmt.Node.(type) {
	case *pg.Node_AlterOwnerStmt, *pg.Node_GrantStmt, *pg.Node_GrantRoleStmt, *pg.Node_AlterDefaultPrivilegesStmt, *pg.Node_SecLabelStmt, *pg.Node_CreatedbStmt:
		return true
	case *pg.Node_AlterTableStmt:
		for _, cmd := range n.AlterTableStmt.Cmds {
			if cmd.GetAlterTableCmd().GetSubtype() != pg.AlterTableType_AT_ChangeOwner {
				return false
			}
		}
		return true
	case *pg.Node_CommentStmt:
		switch n.CommentStmt.Objtype {
		case pg.ObjectType_OBJECT_EXTENSION, pg.ObjectType_OBJECT_DATABASE, pg.ObjectType_OBJECT_ROLE:
			return true
		}
	}
	return false
}
