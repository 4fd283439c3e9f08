package narrowing

import (
	"fmt"
	"strings"

	"restlesscrate/internal/words"
)

// Blamed gives the add-on that does it; empty where the search goes on, and where none or more
// than one was found.
func (st Stand) Blamed() string {
	if st.Over && !st.GivenUp && len(st.Search.Suspects) == 1 && !st.cameUp() {
		return st.Search.Suspects[0]
	}
	return ""
}

// cameUp tells whether a server that did not come up does so now, as it was: then nobody is to blame.
func (st Stand) cameUp() bool { return st.Over && st.Search.ByStart && st.Down == "" }

// Says tells a person how the search stands, and what it left of itself once it is over.
func (st Stand) Says() string {
	found, byStart := st.Search.Suspects, st.Search.ByStart
	all := strings.Join(found, ", ")
	var says string
	switch {
	case !st.Over && len(found) == 1:
		return fmt.Sprintf("It may be %s; %s more at most.", all, words.Count(st.Most, "question"))
	case !st.Over:
		return fmt.Sprintf("It may be one of %s; %s more at most.", words.Count(len(found), "add-on"), words.Count(st.Most, "question"))
	case st.GivenUp:
		says = "The search is given up."
	case st.cameUp() && len(found) > 0:
		says = fmt.Sprintf("None of them keeps %s down now: it came up with %s off, and in the end as it was.", st.Server, all)
	case len(found) == 1 && byStart:
		says = fmt.Sprintf("It is %s: with it off the server comes up, and with it on it does not.", all)
	case len(found) == 1:
		says = fmt.Sprintf("It is %s: with it alone off it does not happen.", all)
	case len(found) > 1:
		says = fmt.Sprintf("It is one of %s, which need each other and cannot be told apart.", all)
	case byStart:
		says = "It is none of them alone: with each of them off the server did not come up."
	default:
		says = "It is none of them alone: with each of them off it still happened."
	}
	if st.Note != "" {
		return says + " " + words.Sentence(st.Note)
	}
	return fmt.Sprintf("%s Everything on %s is as it was.", says, st.Server)
}
