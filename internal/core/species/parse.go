package species

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"leancatch/internal/core/refs"
)

// table is a CSV file whose first row names its columns.
type table struct {
	columns map[string]int
	rows    [][]string
}

// tableRow is one row of a table, with what is wrong in it.
type tableRow struct {
	table
	row []string
	err error
}

func readTable(data []byte) (table, error) {
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	if err != nil {
		return table{}, err
	}
	t := table{columns: map[string]int{}, rows: rows[1:]}
	for i, name := range rows[0] {
		t.columns[name] = i
	}
	return t, nil
}

func (r *tableRow) text(column string) string {
	i, ok := r.columns[column]
	if !ok {
		r.err = errors.Join(r.err, fmt.Errorf("no column %s", column))
		return ""
	}
	return r.row[i]
}

// number is 0 where the field is empty.
func (r *tableRow) number(column string) float64 {
	text := r.text(column)
	if text == "" {
		return 0
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil {
		r.err = errors.Join(r.err, fmt.Errorf("%s, column %s: %w", r.text("id"), column, err))
	}
	return v
}

func (r *tableRow) span(name string) Range {
	return Range{r.number(name + "_lo"), r.number(name + "_hi")}
}

func (r *tableRow) composition(prefix string) Composition {
	return Composition{r.number(prefix + "water"), r.number(prefix + "protein"), r.number(prefix + "lipid"), r.number(prefix + "ash")}
}

// list is the parts of a field that semicolons part.
func (r *tableRow) list(column string) []string {
	if text := r.text(column); text != "" {
		return strings.Split(text, ";")
	}
	return nil
}

// spawning reads "NE Atlantic:1-4".
func (r *tableRow) spawning(text string) Spawning {
	var s Spawning
	area, months, _ := strings.Cut(text, ":")
	s.Area = area
	if _, err := fmt.Sscanf(months, "%d-%d", &s.From, &s.To); err != nil {
		r.err = errors.Join(r.err, fmt.Errorf("%s, months of %q: %w", r.text("id"), text, err))
	}
	return s
}

// parse reads the table of species, by what each is known, and where their fields come from: for each
// field a default, and for some species a source of their own.
func parse(data, identity, origins []byte) ([]Species, error) {
	t, err := readTable(data)
	if err != nil {
		return nil, err
	}
	var from map[string]map[string]refs.Cited
	if err := json.Unmarshal(origins, &from); err != nil {
		return nil, fmt.Errorf("origins: %w", err)
	}
	var list []Species
	for _, row := range t.rows {
		r := &tableRow{table: t, row: row}
		s := r.species()
		for field, by := range from {
			s.Origin[field] = by["default"]
			if source, ok := by[s.ID]; ok {
				s.Origin[field] = source
			}
		}
		if r.err != nil {
			return nil, r.err
		}
		list = append(list, s)
	}
	return list, identify(list, identity)
}

// identify adds to each species the marks by which it is known, and what it may be taken for.
func identify(list []Species, identity []byte) error {
	t, err := readTable(identity)
	if err != nil {
		return fmt.Errorf("identity: %w", err)
	}
	at := map[string]int{}
	for i, s := range list {
		at[s.ID] = i
	}
	for _, row := range t.rows {
		r := &tableRow{table: t, row: row}
		i, ok := at[r.text("id")]
		if !ok {
			return fmt.Errorf("identity: no species %s", r.text("id"))
		}
		list[i].Marks = strings.Split(r.text("marks"), "; ")
		for _, text := range r.list("taken_for") {
			id, has, _ := strings.Cut(strings.TrimSpace(text), ": ")
			j, ok := at[id]
			if !ok {
				return fmt.Errorf("identity of %s: no species %s", list[i].ID, id)
			}
			list[i].TakenFor = append(list[i].TakenFor, TakenFor{id, list[j].Name, has})
		}
	}
	return nil
}

func (r *tableRow) species() Species {
	s := Species{
		ID: r.text("id"), Name: r.text("name"), Also: r.list("also"), Scientific: r.text("scientific"), Family: r.text("family"),
		Body: Body(r.text("body")), Figure: r.text("figure"), Group: r.text("group"),
		Habitat: r.text("habitat"), Fat: r.text("fat"), Composition: r.composition(""), ShelfLife: r.span("shelf"),
		Histamine: Histamine(r.text("histamine")), Parasite: Concern(r.text("parasite")),
		Ciguatera: r.text("ciguatera") == "yes", Mercury: r.text("mercury") == "yes", Sale: Sale(r.text("sale")),
		YieldOf: Basis(r.text("yield_of")), SkinOn: r.span("skin_on"), Skinless: r.span("skinless"),
		GutLoss: r.number("gut_loss"), HeadLoss: r.number("head_loss"),
		Stock: r.text("stock") == "yes", LooseScales: r.text("loose_scales") == "yes", Origin: Origins{},
	}
	if parasite := r.text("parasite_farmed"); parasite != "" {
		s.Farmed = &Farmed{Fat: r.text("farmed_fat"), Composition: r.composition("farmed_"), ShelfLife: r.span("farmed_shelf"),
			Parasite: Concern(parasite)}
	}
	for _, text := range r.list("names") {
		name, region, _ := strings.Cut(text, "@")
		s.Names = append(s.Names, Name{name, region})
		s.Aliases = append(s.Aliases, name)
	}
	s.Aliases = append(s.Aliases, s.Also...)
	for _, text := range r.list("spawns") {
		s.Spawns = append(s.Spawns, r.spawning(text))
	}
	return s
}
