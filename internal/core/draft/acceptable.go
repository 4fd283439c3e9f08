package draft

// Acceptable are the codes of the findings of a draft that a person can accept, or tick off
// as done. A test keeps the list whole.
var Acceptable = []string{
	"after-first-run", "author-says", "behind-link", "changed-file", "changed-since", "data-not-copied", "does-not-go-with",
	"entries-go", "entry-unwritable", "missing-file", "need-disabled", "need-missing", "need-unfit", "no-load-list", "no-settings-file", "older-copy", "other-kind", "other-loader", "players-only", "renewed-gone", "replaces", "shared-goes", "still-needed", "text-breaks", "text-broken", "tweaks-go", "unknown-file", "value-unwritable",
}
