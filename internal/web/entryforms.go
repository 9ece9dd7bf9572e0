package web

import (
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/wording"
)

// entryForms read what was typed into the plain form of a kind of entry on a lot's card; the others have forms of their own, or none.
var entryForms = map[lot.Kind]func(f *input, at time.Time) lot.Payload{
	"moved": func(f *input, at time.Time) lot.Payload {
		p := lot.Moved{PlaceID: f.ID("place_id")}
		if minutes := f.Number("left_at", "min"); minutes != nil {
			left := at.Add(-time.Duration(math.Min(*minutes, 1e6) * float64(time.Minute)))
			p.LeftAt = &left
		}
		return p
	},
	"temperature": func(f *input, _ time.Time) lot.Payload { // its lot says whether it may be so warm
		return lot.Temperature{Celsius: f.MustCooked("celsius")}
	},
	"held":     func(f *input, _ time.Time) lot.Payload { return lot.Held{Reason: f.Text("reason")} },
	"released": func(f *input, _ time.Time) lot.Payload { return lot.Released{Reason: f.Text("reason")} },
	"refused":  func(f *input, _ time.Time) lot.Payload { return lot.Refused{Reason: f.Text("reason")} },
	"taken":    func(f *input, _ time.Time) lot.Payload { return f.taken() },
	"prepared": func(f *input, _ time.Time) lot.Payload { return f.prepared() },
	"used": func(f *input, _ time.Time) lot.Payload {
		return lot.Left{EndUse: lot.EndUse(f.Text("end_use")), Note: f.Text("reason")}
	},
	"discarded": func(f *input, _ time.Time) lot.Payload { return lot.Discarded{Reason: f.Text("reason")} },
	"voided": func(f *input, _ time.Time) lot.Payload {
		return lot.Voided{EventID: f.UUID("event_id"), Reason: f.Text("reason")}
	},
	"declared": func(f *input, _ time.Time) lot.Payload {
		return lot.Declared{Origin: lot.FishOrigin(f.Text("origin")), ReefOrigin: f.Text("reef_origin"),
			Reason: f.Text("reason")}
	},
	"checked": func(f *input, _ time.Time) lot.Payload { return f.checked() },
	"settled": func(f *input, _ time.Time) lot.Payload {
		s := lot.Settled{Answer: f.Text("answer"), CreditCents: f.Cents("credit_cents"), Note: f.Text("note")}
		s.ComplaintID, _ = uuid.Parse(f.Text("complaint_id"))
		return s
	},
	"tested":    func(f *input, _ time.Time) lot.Payload { return f.tested() },
	"accounted": func(f *input, at time.Time) lot.Payload { return f.gapExplained(at) },
	"packed": func(f *input, _ time.Time) lot.Payload {
		return lot.Packed{Packing: f.packing(""), Note: f.Text("reason")}
	},
	"thawed": func(f *input, _ time.Time) lot.Payload {
		return lot.Thawed{CoreC: f.MustCelsius("core_celsius"), DripKg: f.Grams("drip_kg") / 1000,
			GlazeKg: f.Grams("glaze_kg") / 1000}
	},
	"returned": func(f *input, _ time.Time) lot.Payload {
		return lot.Returned{PlaceID: f.ID("place_id"), CoreC: f.MustCelsius("core_celsius"), Reason: f.Text("reason")}
	},
	"par_cooked": func(f *input, _ time.Time) lot.Payload {
		return lot.ParCooked{CoreC: f.MustCooked("core_celsius"), Minutes: f.MustNumber("minutes", "min", "minutes")}
	},
	"stocked": func(f *input, _ time.Time) lot.Payload {
		return lot.Stocked{CoreC: f.MustBoiling("core_celsius"), WeightKg: f.MustMass("weight_kg"), With: f.Text("with"),
			Allergens: f.All("allergens")}
	},
	"cooked": func(f *input, _ time.Time) lot.Payload { return lot.Cooked{CoreC: f.MustCooked("core_celsius")} },
}

// commas joins the words that are not empty.
func commas(words ...string) string { return wording.Commas(words...) }

// Says is what a payload of an event of a lot says.
func (p page) Says(x lot.Payload, card kitchen.Card) string {
	return wording.Says(p, x, wording.Of{Places: card.Places, Entry: func(id uuid.UUID) string { return entryName(card, id) }})
}

// entryName names an entry of the lot before what is said of it.
func entryName(card kitchen.Card, id uuid.UUID) string {
	for i, e := range card.Entries {
		if e.ID == id {
			return fmt.Sprintf("event %d, %s: ", i+1, strings.ToLower(e.Kind.Name()))
		}
	}
	return ""
}
