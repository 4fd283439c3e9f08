package version

import (
	"strconv"
	"strings"
)

// Sites keep downloads under running numbers and put them into file names: "signs-48213",
// "signs-1.4_48213", "48213-signs-1.4". Such a number tells nothing of the version. A date
// does, and so does a number that says what it is, as in "b48213".

// siteNumber tells whether a text can only be such a number: five digits or more that are no
// date.
func siteNumber(text string) bool {
	if len(text) < 5 || strings.Trim(text, "0123456789") != "" {
		return false
	}
	return !date(text, 4) && !date(text, 2)
}

// date tells whether digits begin with a date, whose year has so many of them. Hours, minutes
// and seconds may follow.
func date(text string, year int) bool {
	n := func(from, to int) int { i, _ := strconv.Atoi(text[from:to]); return i } // digits, which are a number
	if len(text) < year+4 || len(text)%2 != 0 || year == 2 && len(text) > 6 {
		return false
	}
	if y := n(0, year); year == 4 && (y < 1990 || y >= 2070) {
		return false
	}
	month, day := n(year, year+2), n(year+2, year+4)
	return month >= 1 && month <= 12 && day >= 1 && day <= 31
}

// cutNumber parts the digits that a stem begins with from what follows them.
func cutNumber(stem string) (number, rest string, ok bool) {
	i := strings.IndexFunc(stem, func(r rune) bool { return r < '0' || r > '9' })
	if i <= 0 {
		return "", "", false
	}
	rest = strings.TrimLeft(stem[i:], "-_ ")
	return stem[:i], rest, rest != "" && len(rest) < len(stem)-i
}

// withoutSiteNumber takes such a number off the end of a version.
func withoutSiteNumber(ver string) string {
	for {
		i := strings.LastIndexAny(ver, "-_ +")
		if !siteNumber(ver[i+1:]) {
			return ver
		}
		ver = strings.TrimRight(ver[:max(0, i)], "-_ +")
		if i < 0 {
			return ""
		}
	}
}
