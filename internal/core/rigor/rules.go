package rigor

import (
	"fmt"

	"leancatch/internal/core/refs"
)

// Rules lists the times of the table, in hours from death, with their source.
func Rules() refs.Group {
	span := func(r Range) string {
		if r.Lo() == r.Hi() {
			return fmt.Sprint(r.Lo())
		}
		return fmt.Sprintf("%g to %g", r.Lo(), r.Hi())
	}
	g := refs.Group{Name: "Rigor mortis"}
	for _, r := range table().Rows {
		how := "killed fast and calm"
		if r.Stressed {
			how = "stressed"
		}
		name := fmt.Sprintf("%s at %s °C, %s", r.Species, span(r.Celsius), how)
		if r.Unsure {
			name += " (less surely remembered)"
		}
		g.Rules = append(g.Rules, refs.Valued(name, table().Source, "begins after %s h, ends after %s h", span(r.Onset), span(r.End)))
	}
	return g
}
