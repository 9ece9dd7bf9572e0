package species

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// fold is a text as names are compared: in lower case, without accents, its words
// parted by one space.
func fold(text string) string {
	// a chain keeps state: each call needs one of its own
	plain, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), text)
	if err != nil {
		plain = text
	}
	words := strings.FieldsFunc(strings.ToLower(plain), func(r rune) bool { return unicode.IsSpace(r) || r == '-' || r == '_' || r == ',' })
	return strings.NewReplacer("'", "", "’", "", "ø", "o", "æ", "ae", "ß", "ss").Replace(strings.Join(words, " "))
}

// comparable lists all names of the species, folded: its own first.
func (s Species) comparable() []string {
	names := []string{fold(s.Name), fold(s.Scientific)}
	for _, name := range s.Aliases {
		names = append(names, fold(name))
	}
	return names
}

// Named lists the species that a text names: the one whose own or scientific name it is,
// else all that are called so somewhere. More than one has to be asked about.
func (c Catalogue) Named(text string) []Species {
	text = fold(text)
	if text == "" {
		return nil
	}
	var called []Species
	for _, s := range c.list {
		if s.names[0] == text || s.names[1] == text && !c.twin(s) {
			return []Species{s}
		}
		if slices.Contains(s.names, text) {
			called = append(called, s)
		}
	}
	return called
}

// twin reports whether another entry has the scientific name of the species: summer and
// winter herring are one.
func (c Catalogue) twin(s Species) bool {
	return slices.ContainsFunc(c.list, func(o Species) bool { return o.ID != s.ID && o.Scientific == s.Scientific })
}

// Find resolves what a person typed, where only one species is called so.
func (c Catalogue) Find(text string) (Species, bool) {
	if named := c.Named(text); len(named) == 1 {
		return named[0], true
	}
	return Species{}, false
}

// Search returns at most limit species that match the text, best first: by a
// name that it is, that begins with it, the market name before others, by a word in a
// name, by any part of a name; where none has it, by Suggest.
func (c Catalogue) Search(text string, limit int) []Species {
	ranked := c.ranked(text)
	found := slices.Concat(ranked[:]...)
	if len(found) == 0 {
		found = c.Suggest(text)
	}
	return found[:min(limit, len(found))]
}

// Meant is the species that a text surely means though it is not typed in full: the one that is
// called so, or the only one whose market name begins so.
func (c Catalogue) Meant(text string) (Species, bool) {
	if named := c.Named(text); len(named) > 0 {
		return named[0], len(named) == 1
	}
	if begin := c.ranked(text)[1]; len(begin) == 1 {
		return begin[0], true
	}
	return Species{}, false
}

// ranked are the species that have a text in a name, by rank.
func (c Catalogue) ranked(text string) (ranked [5][]Species) {
	text = fold(text)
	for _, s := range c.list {
		if r := s.rank(text); r < len(ranked) {
			ranked[r] = append(ranked[r], s)
		}
	}
	return ranked
}

// rank is 0 for a name, 1 for the beginning of the market name, 2 for that of another, 3
// for the beginning of a word, 4 for any part, 5 for no match.
func (s Species) rank(text string) int {
	best := 5
	for i, name := range s.names {
		switch {
		case name == text:
			return 0
		case strings.HasPrefix(name, text) && i == 0:
			best = min(best, 1)
		case strings.HasPrefix(name, text):
			best = min(best, 2)
		case strings.Contains(name, " "+text):
			best = min(best, 3)
		case strings.Contains(name, text):
			best = min(best, 4)
		}
	}
	return best
}

// Hazards are those that a wrong name must not hide.
type Hazards struct{ Banned, Warned, Histamine, Ciguatera bool }

// Hazards are those of the species.
func (s Species) Hazards() Hazards {
	return Hazards{s.Sale == SaleRefuse, s.Sale == SaleWarn, s.HistamineRules(), s.Ciguatera}
}

// and are the hazards of both.
func (h Hazards) and(o Hazards) Hazards {
	return Hazards{h.Banned || o.Banned, h.Warned || o.Warned, h.Histamine || o.Histamine, h.Ciguatera || o.Ciguatera}
}

// mostTypos is how many letters may be wrong in a text of so many letters (house).
func mostTypos(letters int) int {
	switch {
	case letters < 4:
		return 0
	case letters < 6:
		return 1
	case letters < 10:
		return 2
	}
	return 3
}

// Suggest guesses what was meant by a text that names no species: names that differ by a few
// letters; of several words also the names that end with its last one. Whatever was meant,
// a suggestion is not the milder one: where the guesses differ in their hazards, only those that
// have all of them are suggested. It is empty where nothing is near enough.
func (c Catalogue) Suggest(text string) []Species {
	text = fold(text)
	type guess struct {
		Species
		typos int
	}
	var near []guess
	most := mostTypos(len([]rune(text)))
	last := ""
	if at := strings.LastIndex(text, " "); at > 0 && len(text)-at > 3 {
		last = text[at+1:]
	}
	for _, s := range c.list {
		best := most + 1
		for _, name := range s.names {
			if n := typos(text, name, most); n < best {
				best = n
			}
			if last != "" && best > most && (name == last || strings.HasSuffix(name, " "+last)) {
				best = most
			}
		}
		if best <= most && most > 0 {
			near = append(near, guess{s, best})
		}
	}
	var all Hazards
	for _, g := range near {
		all = all.and(g.Hazards())
	}
	slices.SortStableFunc(near, func(a, b guess) int { return cmp.Compare(a.typos, b.typos) })
	var list []Species
	for _, g := range near {
		if g.Hazards() == all {
			list = append(list, g.Species)
		}
	}
	return list
}

// typos is the number of letters that were left out, put in, changed or swapped with the next
// between two texts (the optimal string alignment distance); most + 1 for more.
func typos(a, b string, most int) int {
	x, y := []rune(a), []rune(b)
	if len(x)-len(y) > most || len(y)-len(x) > most || len(x) == 0 || len(y) == 0 || len(x) < 6 && x[0] != y[0] {
		return most + 1
	}
	before, above, row := make([]int, len(y)+1), make([]int, len(y)+1), make([]int, len(y)+1)
	for j := range above {
		above[j] = j
	}
	for i := 1; i <= len(x); i++ {
		row[0] = i
		for j := 1; j <= len(y); j++ {
			changed := 1
			if x[i-1] == y[j-1] {
				changed = 0
			}
			row[j] = min(above[j]+1, row[j-1]+1, above[j-1]+changed)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, above, row = above, row, before
	}
	return min(above[len(y)], most+1)
}
