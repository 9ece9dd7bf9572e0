package wording

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
)

// plain writes amounts as they are.
type plain struct{}

func (plain) Mass(kg float64) string   { return fmt.Sprintf("%.2f kg", kg) }
func (plain) Temp(c float64) string    { return fmt.Sprintf("%.1f °C", c) }
func (plain) Money(cents int64) string { return fmt.Sprintf("%d ct", cents) }
func (plain) Clock(t time.Time) string { return t.Format("15:04") }
func (plain) Stamp(t time.Time) string { return t.Format("Mon 15:04") }
func (plain) Day(t time.Time) string   { return t.Format("2 Jan") }

// Each kind of entry says something of what stands in databases, in words: no field is shown by its name, no id by its digits.
func TestEachKindIsSaidInWords(t *testing.T) {
	stored := lottest.Stored(t)
	for _, kind := range lot.Kinds() {
		if sayings[kind] == nil {
			t.Errorf("%s has no words", kind)
			continue
		}
		for _, text := range stored[kind] {
			payload, err := lot.Decode(kind, []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			said := Says(plain{}, payload, Of{})
			if said == "" || strings.ContainsAny(said, "_{}") {
				t.Errorf("%s: %q is said of %s", kind, said, text)
			}
		}
	}
	if len(sayings) != len(lot.Kinds()) {
		t.Errorf("%d sayings for %d kinds", len(sayings), len(lot.Kinds()))
	}
}
