// Package web holds the built front end.
package web

import "embed"

// Files are the built front end, under dist. A build without it serves a page that says so.
//
//go:embed all:dist
var Files embed.FS
