package rulebook

import (
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Players is a line for the server's console whose answer tells how many players are on.
type Players struct {
	Send  string
	Count string // an expression for a line of the answer, with the group count
}

func (r serverReader) players(n *yaml.Node, b *Book) {
	r.mapping(n, "players",
		field{"send", true, r.text("send", &b.Players.Send)},
		field{"count", true, r.expression("count", &b.Players.Count, "count")})
}

// Read reads how many players are on from the console's answer. ok is false where the answer does
// not tell.
func (p Players) Read(answer string) (on int, ok bool) {
	expr, err := regexp.Compile(p.Count)
	if err != nil || p.Count == "" {
		return 0, false
	}
	group := expr.SubexpIndex("count")
	for _, line := range strings.Split(answer, "\n") {
		if m := expr.FindStringSubmatch(strings.TrimRight(line, "\r")); m != nil && group >= 0 {
			n, err := strconv.Atoi(m[group])
			return n, err == nil && n >= 0
		}
	}
	return 0, false
}
