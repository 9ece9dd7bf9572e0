package frozen

import (
	"fmt"

	"leancatch/internal/core/refs"
)

// Rules lists the practical storage life with its source.
func Rules() refs.Group {
	g := refs.Group{Name: "Frozen storage life"}
	for _, row := range table {
		g.Rules = append(g.Rules, refs.Valued(fmt.Sprintf("At −%g °C", -row.celsius), Source, "fatty %g months, lean %g months", row.fatty, row.lean))
	}
	g.Rules = append(g.Rules, refs.Valued("No life is known", "house", "above %g °C", WarmestC))
	return g
}
