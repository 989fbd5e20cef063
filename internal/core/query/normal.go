package query

// Normal is an equal search in which Not stands before words, terms and ranges alone.
func Normal(n Node) Node { return normal(n, false) }

func normal(n Node, negated bool) Node {
	switch n := n.(type) {
	case Not:
		return normal(n.Of, !negated)
	case And:
		list := normals(n.All, negated)
		if negated {
			return Or{list}
		}
		return And{list}
	case Or:
		list := normals(n.Any, negated)
		if negated {
			return And{list}
		}
		return Or{list}
	}
	if negated {
		return Not{n}
	}
	return n
}

func normals(list []Node, negated bool) []Node {
	out := make([]Node, len(list))
	for i, n := range list {
		out[i] = normal(n, negated)
	}
	return out
}

// Conjuncts are the parts of a normal search; all must match.
func Conjuncts(n Node) []Node {
	and, ok := n.(And)
	if !ok {
		return []Node{n}
	}
	var out []Node
	for _, x := range and.All {
		out = append(out, Conjuncts(x)...)
	}
	return out
}

// Names lists the names that a search asks for, each once, in their order.
func Names(n Node) (out []string) {
	seen := map[string]bool{}
	Walk(n, func(n Node) bool {
		name := ""
		switch n := n.(type) {
		case Term:
			name = n.Name
		case Range:
			name = n.Name
		}
		if name != "" && !seen[name] {
			seen[name] = true
			out = append(out, name)
		}
		return true
	})
	return out
}

// Replace makes a search in which some terms are replaced by what with gives; nil
// leaves a term as it is.
func Replace(n Node, with func(Term) (Node, error)) (Node, error) {
	switch n := n.(type) {
	case Term:
		to, err := with(n)
		if err != nil || to == nil {
			return n, err
		}
		return to, nil
	case Not:
		of, err := Replace(n.Of, with)
		return Not{of}, err
	case And:
		list, err := replaceAll(n.All, with)
		return And{list}, err
	case Or:
		list, err := replaceAll(n.Any, with)
		return Or{list}, err
	}
	return n, nil
}

func replaceAll(list []Node, with func(Term) (Node, error)) ([]Node, error) {
	out := make([]Node, len(list))
	for i, n := range list {
		var err error
		if out[i], err = Replace(n, with); err != nil {
			return nil, err
		}
	}
	return out, nil
}
