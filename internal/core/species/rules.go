package species

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"leancatch/internal/core/refs"
)

// Rules lists where each field of the catalogue comes from: the species of each
// source, most species first.
func (c Catalogue) Rules() refs.Group {
	fields := map[string]map[refs.Cited][]string{}
	for _, s := range c.list {
		for field, source := range s.Origin {
			if fields[field] == nil {
				fields[field] = map[refs.Cited][]string{}
			}
			fields[field][source] = append(fields[field][source], s.Name)
		}
	}
	g := refs.Group{Name: "Species"}
	for _, field := range slices.Sorted(maps.Keys(fields)) {
		by := fields[field]
		sources := slices.SortedFunc(maps.Keys(by), func(a, b refs.Cited) int {
			if len(by[a]) != len(by[b]) {
				return len(by[b]) - len(by[a])
			}
			return strings.Compare(string(a), string(b))
		})
		for i, source := range sources {
			names := strings.Join(by[source], ", ")
			if i == 0 {
				names = fmt.Sprintf("%d species", len(by[source]))
			}
			g.Rules = append(g.Rules, refs.Rule{Name: strings.ReplaceAll(field, "_", " "), Value: names, Source: source})
		}
	}
	return g
}
