// Package refs lists what has been published and the product's numbers come
// from, each work once, and how a number cites it.
//
// A citation is the id of a work and the place in it, in square brackets, in
// comments and in data alike:
//
//	"source": "[FAO348, table 5.8]; salmon: house"
//
// Where no work is cited, the text says "house" (our own choice, to the safe
// side) or "common practice, no source".
package refs

import (
	"fmt"
	"regexp"
	"strings"
)

// Work is something published.
type Work struct {
	ID      string
	Name    string // as it is called in a sentence
	Title   string // authors, title, where it appeared
	Edition string
	// Checked says against which copy, and when, what we cite was compared; ""
	// where it was written from memory.
	Checked string
}

// FromMemory says that nobody compared the figures with a copy.
func (w Work) FromMemory() bool { return w.Checked == "" }

// Cited is a text with citations in it. It is shown and sent with them in words.
type Cited string

// Rule is a rule or a figure of the product with where it comes from.
type Rule struct {
	Name   string
	Value  string // with its unit
	Source Cited
}

// Group is the rules of one subject.
type Group struct {
	Name  string
	Rules []Rule
}

// Valued is a rule whose value is written as by fmt.Sprintf, with true minus signs.
func Valued(name string, source Cited, format string, args ...any) Rule {
	return Rule{name, minus.ReplaceAllString(fmt.Sprintf(format, args...), "−$1"), source}
}

var minus = regexp.MustCompile(`-([0-9])`)

// Works lists all, by id.
func Works() []Work { return works }

// Find returns the work with the id.
func Find(id string) (Work, bool) {
	for _, w := range works {
		if w.ID == id {
			return w, true
		}
	}
	return Work{}, false
}

// Piece is a part of a text with citations: words, or one citation.
type Piece struct {
	Text string // of a citation: the work's name and the place in it
	Work string // its id; "" of words
}

var citation = regexp.MustCompile(`\[([A-Za-z0-9&.-]+)(, [^\]]+)?\]`)

// Pieces takes the text apart. Brackets that hold no known id are words.
func (c Cited) Pieces() []Piece {
	text := string(c)
	var list []Piece
	words := func(s string) {
		if s != "" {
			list = append(list, Piece{Text: s})
		}
	}
	end := 0
	for _, at := range citation.FindAllStringSubmatchIndex(text, -1) {
		work, ok := Find(text[at[2]:at[3]])
		if !ok {
			continue
		}
		words(text[end:at[0]])
		place := ""
		if at[4] >= 0 {
			place = text[at[4]:at[5]]
		}
		list = append(list, Piece{Text: work.Name + place, Work: work.ID})
		end = at[1]
	}
	words(text[end:])
	return list
}

// String is the text with its citations in words, each with "from memory" where
// that is so.
func (c Cited) String() string {
	var b strings.Builder
	for _, p := range c.Pieces() {
		b.WriteString(p.Text)
		if work, ok := Find(p.Work); ok && work.FromMemory() {
			b.WriteString(" (from memory)")
		}
	}
	return b.String()
}

// MarshalText writes it as [Cited.String] does: outside, nobody knows the ids.
func (c Cited) MarshalText() ([]byte, error) { return []byte(c.String()), nil }
