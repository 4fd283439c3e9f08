package draft

// Acceptable are the codes of the findings of a draft that a person can accept, or tick off
// as done. A test keeps the list whole.
var Acceptable = []string{
	"after-first-run", "author-says", "behind-link", "changed-file", "changed-since", "data-not-copied",
	"entries-go", "entry-unwritable", "missing-file", "no-load-list", "no-settings-file", "other-kind", "renewed-gone", "shared-goes", "text-breaks", "text-broken", "tweaks-go", "unknown-file", "value-unwritable",
}
