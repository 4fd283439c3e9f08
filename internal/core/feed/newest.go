package feed

import (
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/version"
)

// Announced is a release, by the feed that announces it.
type Announced struct {
	Release
	Feed    string // its name
	Verdict fit.Verdict
}

// Have is what there is of an add-on on a server.
type Have struct {
	Key         string // of the add-on
	Newest      string // the newest version that is installed, or staged and fits
	Development bool   // development builds are wanted too
}

// Newest gives of what feeds announce the newest release that is newer than what there is and is
// not known to be wrong for a server, and the newest one that is wrong where that is newer still.
// Of builds of one version, one that fits comes before one of which nothing is known.
func Newest(all []Announced, have Have, b *rulebook.Book, known map[string]string) (best, unfit *Announced) {
	for _, a := range all {
		if a.Key() != have.Key || version.Compare(a.Version, have.Newest) <= 0 || version.Development(a.Version) && !have.Development {
			continue
		}
		a.Verdict = fit.Judge(fit.Told(b, a.Facts("the feed "+a.Feed)), known)
		to := &best
		if a.Verdict.State.Bad() {
			to = &unfit
		}
		if o := *to; o == nil || version.Compare(a.Version, o.Version) > 0 || version.Compare(a.Version, o.Version) == 0 && a.Verdict.State.Better(o.Verdict.State) {
			*to = &a
		}
	}
	if best != nil && unfit != nil && version.Compare(unfit.Version, best.Version) <= 0 {
		unfit = nil
	}
	return best, unfit
}

// Newer tells whether a version is newer than another, as this trade writes versions.
func Newer(v, than string) bool { return version.Compare(v, than) > 0 }
