package cutting

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
)

// Card is how a species is cut, step by step (common practice, no source).
type Card struct {
	ID       string   `json:"id"`
	Species  []string `json:"species"` // that are cut so, the one that is drawn first
	Cut      string   `json:"cut"`     // the part that the flanks become
	Minutes  float64  `json:"minutes"` // a fish, of somebody who does it alone
	PinBones string   `json:"pin_bones"`
	Steps    []Step   `json:"steps"`
}

// Step is one of them: where on the fish, with which knife, what.
type Step struct {
	At    string `json:"at"` // a part
	Knife string `json:"knife,omitempty"`
	Do    string `json:"do"`
}

//go:embed cards.json
var cardsJSON []byte

var cards = sync.OnceValue(func() []Card {
	var list []Card
	if err := json.Unmarshal(cardsJSON, &list); err != nil {
		panic(fmt.Errorf("cards.json: %w", err)) // it is embedded
	}
	return list
})

// Cards lists all cutting cards.
func Cards() []Card { return slices.Clone(cards()) }

// CardsFor are those of a species.
func CardsFor(species string) []Card {
	return slices.DeleteFunc(Cards(), func(c Card) bool { return !slices.Contains(c.Species, species) })
}

// GetCard returns a card; false for none.
func GetCard(id string) (Card, bool) {
	i := slices.IndexFunc(cards(), func(c Card) bool { return c.ID == id })
	if i < 0 {
		return Card{}, false
	}
	return cards()[i], true
}
