package lot

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
)

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
	// when the supplier sent it off; nil where nobody said
	DispatchedAt *time.Time `json:"dispatched_at,omitempty"`
	Origin       FishOrigin `json:"origin,omitempty"`      // wild or farmed, by its papers; "" where they do not say
	ReefOrigin   string     `json:"reef_origin,omitempty"` // the waters that a reef fish was caught in
	// the thickest part of one fish or fillet, mm, measured; nil where nobody did
	MM *float64 `json:"thickness_mm,omitempty"`
	// what it cost, in hundredths of the kitchen's currency: a kilogram, and the cleaning of all of it
	PriceCents int64 `json:"price_cents_per_kg,omitempty"`
	FeeCents   int64 `json:"fee_cents,omitempty"`
	// where it is sold by the piece or the box: what one of them costs, how many boxes came, and the freight of all of it
	UnitCents    int64    `json:"unit_price_cents,omitempty"`
	PriceFor     PriceFor `json:"price_for,omitempty"`
	Boxes        int      `json:"boxes,omitempty"`
	FreightCents int64    `json:"freight_cents,omitempty"`
	// of other seafood the end of the day by which it is used, as a person set it; nil where nobody did
	UseBy     *time.Time `json:"use_by,omitempty"`
	Tag       string     `json:"tag,omitempty"`       // the number of the harvester's tag, of bivalves
	LengthMM  *float64   `json:"length_mm,omitempty"` // of one fish, as it is sold by
	SizeGrade string     `json:"size_grade,omitempty"`
	// it was here before the kitchen began to write: it was not received under its rules
	Here bool `json:"here,omitempty"`
}

// mostCents bounds a price and a fee.
const mostCents = 10_000_000

// longestWay bounds how long a delivery was on its way (house).
const longestWay = 14 * 24 * time.Hour

// TagDays is how many days the harvester's tag of shells is kept after the last of them is gone
// [FoodCode, 3-203.12].
const TagDays = 90

// longestUseBy bounds how long after its delivery other seafood may be kept (house).
const longestUseBy = 366 * 24 * time.Hour

// oldestLabelDate bounds how long before its delivery chilled or frozen fish may have been caught (house).
const oldestLabelDate = 3 * 365 * 24 * time.Hour

func (p Received) Check(before *State, at time.Time, bad *invalid.Errors) {
	if before != nil {
		bad.Add("lot", "was received already")
	}
	if !IsForm(p.Form) {
		bad.Add("form", "choose a form")
	}
	if !slices.Contains(IceStates, p.Ice) {
		bad.Add("ice", "choose the state of the ice")
	}
	if p.Count < 1 || p.Count > 10000 {
		bad.Add("count", "must be between 1 and 10 000")
	}
	if !(p.WeightKg > 0 && p.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight_kg", "%v", unit.ErrMassRange)
	}
	if p.CoreC != nil && unit.CheckCelsius(*p.CoreC) != nil {
		bad.Add("core_celsius", "%v", unit.ErrTempRange)
	}
	if p.LabelDate.At != nil {
		switch {
		case !slices.Contains(freshness.DateMeanings, p.LabelDate.Means):
			bad.Add("claim.means", "say what the date means")
		case p.LabelDate.At.After(at):
			bad.Add("claim.at", "lies after the delivery")
		case p.LabelDate.At.Before(at.Add(-oldestLabelDate)):
			bad.Add("claim.at", "lies more than three years before the delivery")
		}
	}
	if p.Packing != nil {
		p.Packing.check(bad)
	}
	if d := p.DispatchedAt; d != nil && (d.After(at) || d.Before(at.Add(-longestWay))) {
		bad.Add("dispatched_at", "must lie in the two weeks before the delivery")
	}
	checkOrigin(p.Origin, p.ReefOrigin, bad)
	if p.MM != nil {
		checkThickness(*p.MM, bad)
	}
	for field, cents := range map[string]int64{"price_cents_per_kg": p.PriceCents, "fee_cents": p.FeeCents, "unit_price_cents": p.UnitCents,
		"freight_cents": p.FreightCents} {
		if cents < 0 || cents > mostCents {
			bad.Add(field, "must be between 0 and 100 000")
		}
	}
	p.checkPriceFor(bad)
	if p.LengthMM != nil && !(*p.LengthMM >= 10 && *p.LengthMM <= 6000) {
		bad.Add("length_mm", "must be between 10 and 6000")
	}
	for field, text := range map[string]string{"tag": p.Tag, "size_grade": p.SizeGrade} {
		if invalid.TooLong(text, 80) {
			bad.Add(field, "is longer than 80 characters")
		}
	}
	if u := p.UseBy; u != nil && (u.Before(at) || u.After(at.Add(longestUseBy))) {
		bad.Add("use_by", "must lie after the delivery, and within a year")
	}
	if invalid.TooLong(p.SupplierLot, 80) {
		bad.Add("supplier_lot", "is longer than 80 characters")
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a place")
	}
}

// Judge implements Judged.
func (p Received) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	sp, ok := f.Catalogue.Get(p.SpeciesID)
	switch {
	case !ok:
		bad.Add("species", "is not in the catalogue")
		return
	case !ComesAs(sp, p.Form):
		bad.Add("form", "is no form in which %s comes", sp.Name)
	case !sp.Fish() && !p.Frozen && p.UseBy == nil:
		bad.Add("use_by", "give the day by which it is used: nobody reads the age of it")
	}
	if sp.Body == species.Bivalve && p.Form != "cleaned" && !p.Frozen && p.Tag == "" {
		bad.Add("tag", "give the number of the harvester's tag: without it they are not taken in")
	}
}

// In implements Placed.
func (p Received) In() int64 { return p.PlaceID }

// keeps implements keeper: what the delivery and the lot's number are made of.
func (p Received) keeps(was Payload, bad *invalid.Errors) {
	old := was.(Received)
	keep("docket_id", p.DeliveryID, old.DeliveryID, bad)
	keep("line", p.Line, old.Line, bad)
	keep("code", p.Code, old.Code, bad)
	keep("supplier_id", p.SupplierID, old.SupplierID, bad)
	keep("look_id", p.MarketCheckID, old.MarketCheckID, bad)
	keep("deck", p.OwnCatch, old.OwnCatch, bad)
	keep("here", p.Here, old.Here, bad)
}

func (p Received) Apply(s *State, e Event) {
	s.begin(p, e.HappenedAt)
	s.cameFrozen()
	s.move(p.PlaceID, e.HappenedAt)
	if p.Packing != nil {
		s.pack(*p.Packing, e.HappenedAt)
	}
	if p.CoreC != nil {
		s.measured(e.HappenedAt, *p.CoreC)
	}
}

// ReceiptCore is the core temperature, °C, that the receipt is judged by the rules: as the fish
// came, or where that is above their limit but may be measured again, the first one in time that
// is not; of our own catch, which comes as warm as the water, the first that is not. It is nil where
// nobody measured so, and where fish came so soon after it was caught that it is still cooling in its
// ice, as the landing table lets it.
func (s *State) ReceiptCore(rules safety.Profile) *float64 {
	core, limit := s.Received.CoreC, rules.ReceiveLimit(s.Species())
	again, within := rules.AgainLimit(s.Species())
	if core != nil && *core > limit && s.coolsYet(*core) {
		return nil
	}
	own := core == nil && s.Received.OwnCatch
	if !own && (core == nil || *core <= limit || *core > again) {
		return core
	}
	for _, r := range s.CoreReadings {
		if r.At.After(s.ReceivedAt) && (own || !r.At.After(s.ReceivedAt.Add(within))) && r.Celsius <= limit {
			return &r.Celsius
		}
	}
	return core
}

// coolsYet reports whether the harvest record lets a core at the receipt be as warm as that: with the
// hour of death, put into ice, and ice around the fish when it came.
func (s *State) coolsYet(core float64) bool {
	h := s.Harvest
	if h.Iced == nil || h.Killed == nil && h.Caught == nil || s.Received.Frozen ||
		s.Received.Ice != "well_iced" && s.Received.Ice != "some_ice" {
		return false
	}
	death, known := s.Death()
	return known && !h.Iced.At.After(s.ReceivedAt) && safety.MayLandAt(s.ReceivedAt.Sub(death.At), core)
}

// begin notes what came.
func (s *State) begin(p Received, at time.Time) {
	s.Received, s.ReceivedAt = p, at
	s.Form, s.Count, s.WeightKg, s.CostCents = p.Form, p.Count, p.WeightKg, p.DeliveredCents()
	s.Declared = Declared{Origin: p.Origin, ReefOrigin: p.ReefOrigin}
}

// IceStates describe the ice in which fish arrives, from best to worst.
var IceStates = []string{"well_iced", "some_ice", "melted", "none"}

// IceName is a state of the ice in words.
func IceName(ice string) string {
	return map[string]string{"well_iced": "Ice all around", "some_ice": "Some ice left", "melted": "Melted, in water",
		"none": "No ice"}[ice]
}

// AfterReceipt is the state of a lot of which nothing but its receipt is known.
func AfterReceipt(c species.Catalogue, r Received, at time.Time) *State {
	s := &State{Status: OnHand, catalogue: c}
	s.begin(r, at)
	return s
}
