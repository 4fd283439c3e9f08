package text

// Turn is a value that reads otherwise in another version of a text. Empty where it is not
// there.
type Turn struct {
	At      string // its value path
	Was, Is string
	Gone    bool // it was there and is not any more
	New     bool
}

// Turns tells which values differ between two versions of a text, in the order of the later
// one, what is gone at its end. What is only written otherwise does not differ. Values that hidden
// names by their paths are masked. ok is false where one of the two cannot be read.
func Turns(was, is []byte, f Format, hidden func(path string) bool) (out []Turn, ok bool) {
	before, err := Parse(was, f)
	if err != nil {
		return nil, false
	}
	after, err := Parse(is, f)
	if err != nil {
		return nil, false
	}
	order, values := scalars(before)
	now, later := scalars(after)
	show := func(at, v string) string {
		if hidden(at) && v != "" {
			return Masked
		}
		return v
	}
	for _, at := range now {
		old, there := values[at]
		if !there || old != later[at] {
			out = append(out, Turn{At: at, Was: show(at, old), Is: show(at, later[at]), New: !there})
		}
	}
	for _, at := range order {
		if _, there := later[at]; !there {
			out = append(out, Turn{At: at, Was: show(at, values[at]), Gone: true})
		}
	}
	return out, true
}

// scalars are a text's values by their paths. Of a name that stands there twice the one that
// counts is meant, which is where its path leads.
func scalars(d *Doc) (order []string, values map[string]string) {
	values = map[string]string{}
	d.Root.Walk(func(n *Node) bool {
		if n.Kind != Scalar || n.Up == nil {
			return true
		}
		at := d.Path(n)
		if _, twice := values[at]; !twice {
			order = append(order, at)
		}
		values[at] = n.Value
		return true
	})
	return order, values
}
