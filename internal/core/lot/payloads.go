package lot

import (
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
)

// Payload is what an event of one kind says.
type Payload interface {
	Kind() Kind
	// check adds what is wrong with the payload as an event at the time at,
	// given the lot's state before it (nil for a lot that does not exist yet).
	check(before *State, at time.Time, bad *invalid.Errors)
}

// LabelDate is what the papers say of the age.
type LabelDate struct {
	At    *time.Time            `json:"at,omitempty"`
	Means freshness.DateMeaning `json:"means,omitempty"`
}

// nearDeath is the only date that is near death.
const nearDeath = freshness.Caught

// Known reports whether the date on the label says anything of the age.
func (c LabelDate) Known() bool {
	_, _, ok := c.Means.Before()
	return c.At != nil && ok
}

// Received opens a lot: a line of a delivery.
type Received struct {
	DeliveryID    uuid.UUID `json:"docket_id"`
	Line          int       `json:"line"`
	Code          string    `json:"code"` // what people call the lot
	SpeciesID     string    `json:"species"`
	Form          string    `json:"form"`
	Frozen        bool      `json:"frozen,omitempty"`
	Count         int       `json:"count"`
	WeightKg      float64   `json:"weight_kg"`
	CoreC         *float64  `json:"core_celsius,omitempty"`
	Ice           string    `json:"ice"`
	LabelDate     LabelDate `json:"claim"`
	SupplierID    int64     `json:"supplier_id"`
	SupplierLot   string    `json:"supplier_lot"`
	PlaceID       int64     `json:"place_id"`
	MarketCheckID uuid.UUID `json:"look_id,omitzero"`    // the market check that it was bought after
	Ordered       *Ordered  `json:"ordered,omitempty"`   // what was ordered, where it was
	OwnCatch      bool      `json:"deck,omitempty"`      // our own catch: received as it came on deck
	Packing       *Packing  `json:"packing,omitempty"`   // how it came packed; nil where nobody said
	Indicator     bool      `json:"indicator,omitempty"` // a time-temperature indicator on each pack, not run out
}

// Inspected records what was seen, what the scheme made of it then, and what
// the person decided. The scheme, which may be the kitchen's own, checked the
// fish before.
type Inspected struct {
	Scheme        string             `json:"scheme"`
	SchemeVersion int                `json:"scheme_version"`
	Fish          []freshness.Fish   `json:"fish"`
	Reading       freshness.Reading  `json:"reading"`
	Proposed      freshness.Verdict  `json:"proposed"`
	Decision      freshness.Decision `json:"decision"`
	Reason        string             `json:"reason,omitempty"` // required where Decision is not the proposed one
	Profile       string             `json:"profile"`
	ByManager     bool               `json:"by_manager,omitempty"`
	// on the market, before the receipt: the way here ages the fish further
	SeenAt  *time.Time        `json:"seen_at,omitempty"`
	Answers map[string]string `json:"answers,omitempty"` // to the counter card
}

// Overrides reports whether the person decided otherwise than proposed.
func (p Inspected) Overrides() bool { return p.Decision != p.Proposed.Decision }

// Moved puts the lot in a place.
type Moved struct {
	PlaceID int64 `json:"place_id"`
}

// Temperature is a core temperature of the lot, taken with a thermometer.
type Temperature struct {
	Celsius float64 `json:"celsius"`
}

// Logger says that a logger lay with the lot from From to To.
type Logger struct {
	ProbeID int64     `json:"probe_id"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to"`
}

// Held puts the lot on hold until it is released, refused or discarded.
type Held struct {
	Reason string `json:"reason"`
}

// Released ends a hold.
type Released struct {
	Reason    string `json:"reason"`
	ByManager bool   `json:"by_manager,omitempty"` // needed where a hard stop held the lot
}

// Refused sends the lot back.
type Refused struct {
	Reason string `json:"reason"`
}

// Left says that nothing of the lot is left: it was cut, cooked, served or sold.
type Left struct {
	Note string `json:"note,omitempty"`
}

// Discarded ends the lot.
type Discarded struct {
	Reason string `json:"reason"`
}

// Voided marks another event of the lot as never having happened.
type Voided struct {
	EventID uuid.UUID `json:"event_id"`
	Reason  string    `json:"reason"`
}

// The payloads know their kind.

func (Received) Kind() Kind    { return KindReceived }
func (Inspected) Kind() Kind   { return KindInspected }
func (Moved) Kind() Kind       { return KindMoved }
func (Temperature) Kind() Kind { return KindTemperature }
func (Logger) Kind() Kind      { return KindLogger }
func (Held) Kind() Kind        { return KindHeld }
func (Released) Kind() Kind    { return KindReleased }
func (Refused) Kind() Kind     { return KindRefused }
func (Left) Kind() Kind        { return KindLeft }
func (Discarded) Kind() Kind   { return KindDiscarded }
func (Voided) Kind() Kind      { return KindVoided }

// Forms are the forms in which fish is delivered, in the order of the work.
var Forms = []string{"whole", "gutted", "gutted_gills_out", "headed_gutted", "tail", "loin", "fillet_skin_on",
	"fillet_skinless"}

// FormName is a form in words.
func FormName(form string) string {
	return map[string]string{"whole": "Whole, ungutted", "gutted": "Gutted, gills in",
		"gutted_gills_out": "Gutted, gills out",
		"headed_gutted":    "Headed and gutted", "tail": "Tail", "loin": "Loin, steak or block",
		"fillet_skin_on": "Fillet, skin on", "fillet_skinless": "Fillet, skinless"}[form]
}

// IceStates describe the ice in which fish arrives, from best to worst.
var IceStates = []string{"well_iced", "some_ice", "melted", "none"}

// IceName is a state of the ice in words.
func IceName(ice string) string {
	return map[string]string{"well_iced": "Ice all around", "some_ice": "Some ice left", "melted": "Melted, in water",
		"none": "No ice"}[ice]
}
