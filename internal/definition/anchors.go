package definition

import (
	"fmt"

	"github.com/goccy/go-yaml/ast"
)

// mostNodes is how large a file may become when what it repeats by name is written out.
const mostNodes = 100_000

// anchors writes out what a YAML file names once and repeats ("&name" and "*name"), so that every
// part of it can be read by itself.
type anchors map[string]anchor

type anchor struct {
	node ast.Node
	size int
}

// expand returns the node with every repetition in its place, and how many nodes it has.
func (a anchors) expand(node ast.Node) (ast.Node, int, error) {
	size := 1
	inside := func(child ast.Node) (ast.Node, error) {
		out, n, err := a.expand(child)
		if size += n; err == nil && size > mostNodes {
			err = fmt.Errorf("it repeats itself too often")
		}
		return out, err
	}
	var err error
	switch n := node.(type) {
	case *ast.AnchorNode:
		value, size, err := a.expand(n.Value)
		if err == nil {
			a[n.Name.String()] = anchor{value, size}
		}
		return value, size, err
	case *ast.AliasNode:
		named, ok := a[n.Value.String()]
		if !ok {
			return nil, 0, fmt.Errorf("[%d:1] could not find alias %q", n.GetToken().Position.Line, n.Value.String())
		}
		return named.node, named.size, nil
	case *ast.MappingNode:
		for _, pair := range n.Values {
			if pair.Value, err = inside(pair.Value); err != nil {
				return nil, 0, err
			}
		}
	case *ast.MappingValueNode:
		if n.Value, err = inside(n.Value); err != nil {
			return nil, 0, err
		}
	case *ast.SequenceNode:
		for i, value := range n.Values {
			if n.Values[i], err = inside(value); err != nil {
				return nil, 0, err
			}
		}
	case *ast.TagNode:
		if n.Value, err = inside(n.Value); err != nil {
			return nil, 0, err
		}
	case nil:
		return nil, 0, nil
	}
	return node, size, nil
}
