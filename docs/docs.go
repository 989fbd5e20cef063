// Package docs holds the documentation, so that the service can show it without a network.
package docs

import "embed"

// Files are the pages, in Markdown.
//
//go:embed *.md decisions/*.md trackers/*.yaml
var Files embed.FS
