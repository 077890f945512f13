// Package packs holds the packs that ship with Examen.
package packs

import "embed"

// Files has a folder for each pack.
//
//go:embed all:heather-hill all:mosswater all:observatory
var Files embed.FS
