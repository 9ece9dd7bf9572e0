package lot

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/costing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
)

// Cut says that fish of the lot were cut, or pieces of it cut further. Each of its parts begins a lot, or
// leaves the kitchen at once; what was not cut keeps the lot's name.
type Cut struct {
	Count     int               `json:"count"`     // fish or pieces that were cut
	WeightKg  float64           `json:"weight_kg"` // of them, as weighed before
	Parts     []CutPart         `json:"parts"`
	CutterID  int64             `json:"cutter_id,omitempty"` // the person who cut; 0 for who wrote it down
	Policies  map[string]string `json:"policies,omitempty"`  // of cutting.Policies: the ways that the kitchen chose, and those of this cut
	Rinsed    bool              `json:"rinsed,omitempty"`    // the parts were rinsed: they may weigh more
	Missing   bool              `json:"missing,omitempty"`   // more is gone than drip explains, and the cutter knows
	Rigor     bool              `json:"in_rigor,omitempty"`  // it was stiff, and the cutter knew
	Whiteness Whiteness         `json:"whiteness,omitempty"` // of the flesh at the first cut
	Frame     FrameCheck        `json:"frame_check,omitempty"`
	Minutes   float64           `json:"minutes,omitempty"`      // that it took
	Labour    int64             `json:"labour_cents,omitempty"` // what that cost
	CostBy    costing.Method    `json:"cost_by,omitempty"`      // how the cost is shared over the parts; "" by value
	Note      string            `json:"note,omitempty"`
}

// CutPart is what was cut of them, of one part.
type CutPart struct {
	LotID     uuid.UUID           `json:"lot_id,omitzero"` // that it begins; zero where it left at once
	Code      string              `json:"code,omitempty"`
	Form      string              `json:"form"` // of cutting.PartsOf
	Count     int                 `json:"count,omitempty"`
	WeightKg  float64             `json:"weight_kg,omitempty"` // 0 before it is admitted: its usual share of what is left
	Estimated bool                `json:"estimated,omitempty"` // by usual proportions: nobody weighed it
	To        cutting.Destination `json:"to"`
	PlaceID   int64               `json:"place_id,omitempty"` // where its lot lies; 0 where its fish lay
	Boneless  bool                `json:"boneless,omitempty"` // a finger went along the seam of each
	Worth     float64             `json:"worth,omitempty"`    // a kilogram of it against one of fillet; 0 for the usual
}

// Whiteness is how white the flesh is at the first cut: how well the fish was bled.
type Whiteness string

// FrameCheck is what the frame shows held against the light.
type FrameCheck string

// What the first cut and the frame may show.
var (
	Whitenesses = []Choice{{"white", "White"}, {"pink", "Pinkish"}, {"blood", "Blood in the vessels"}}
	FrameChecks = []Choice{{"clear", "Light comes through"}, {"flesh", "Flesh left on it"}}
)

// CutMade is a cut that stands.
type CutMade struct {
	Cut
	EventID  uuid.UUID
	PersonID int64 // who wrote it down
	At       time.Time
	Kg       float64   // that went in, at most what the lot weighed
	Cents    float64   // what that cost, with the work of cutting it; 0: not known
	Costs    []float64 // of each part; nil where it is not known
}

// Cutter is the person who cut.
func (c CutMade) Cutter() int64 {
	if c.CutterID != 0 {
		return c.CutterID
	}
	return c.PersonID
}

// weighed are the parts as the balance of a cut takes them.
func (p Cut) weighed() []cutting.Weighed {
	list := make([]cutting.Weighed, len(p.Parts))
	for i, part := range p.Parts {
		list[i] = cutting.Weighed{Part: part.Form, Count: part.Count, Kg: part.WeightKg, Estimated: part.Estimated}
	}
	return list
}

// Opens reports whether the cut begins the clock of cut flesh for a part of it.
func (p Cut) Opens(form string) bool { return cutting.IsCut(form) || p.Policies["skin"] == "scored" }

func (p Cut) Check(before *State, at time.Time, bad *invalid.Errors) {
	here := rawOnHand(before, at, bad)
	if here {
		p.checkState(before, bad)
		p.checkAmount(before, bad)
	}
	if len(p.Parts) == 0 || len(p.Parts) > 60 {
		bad.Add("parts", "weigh at least one part, and at most 60")
	}
	for i, part := range p.Parts {
		own := invalid.Errors{}
		part.check(&own)
		*bad = append(*bad, own.Under(fmt.Sprintf("parts[%d].", i))...)
	}
	if here && len(*bad) == 0 {
		p.checkParts(before, bad)
	}
	for policy, choice := range p.Policies {
		if !cutting.Known(policy, choice) {
			bad.Add("policies", "%s: %s is not known", policy, choice)
		}
	}
	if p.Whiteness != "" {
		oneOf("whiteness", string(p.Whiteness), Whitenesses, bad)
	}
	if p.Frame != "" {
		oneOf("frame_check", string(p.Frame), FrameChecks, bad)
	}
	if !(p.Minutes >= 0 && p.Minutes <= 24*60) {
		bad.Add("minutes", "must be between 0 and a day")
	}
	if p.Labour < 0 || p.Labour > mostCents {
		bad.Add("labour_cents", "must be between 0 and 100 000")
	}
	if p.CostBy != "" && !slices.Contains(costing.Methods, p.CostBy) {
		bad.Add("cost_by", "by value or by weight")
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// checkState says why fish cannot be cut as it is.
func (p Cut) checkState(before *State, bad *invalid.Errors) {
	switch {
	case before.Hold != "":
		bad.Add("lot", "is on hold: %s", before.Hold)
	case before.Ageing() != nil:
		bad.Add("lot", "hangs in the ageing cabinet: take it out and weigh it first")
	case before.Frozen() && !before.Thawing():
		bad.Add("lot", "is frozen: thaw it first")
	}
}

// checkAmount holds what went in against what there is.
func (p Cut) checkAmount(before *State, bad *invalid.Errors) {
	switch {
	case p.Count < 1:
		bad.Add("count", "say how many were cut")
	case p.Count > before.Count:
		bad.Add("count", "is more than there are: %d", before.Count)
	case !(p.WeightKg > 0):
		bad.Add("weight_kg", "say how much went in")
	case p.WeightKg > before.WeightKg*(1+takeSlack)+leftSlackKg:
		bad.Add("weight_kg", "is more than there is: %.2f kg", before.WeightKg)
	case p.Count < before.Count && before.emptiedBy(p.WeightKg):
		bad.Add("count", "%d of %d were cut, and nothing would be left of the weight", p.Count, before.Count)
	case p.Count == before.Count && p.WeightKg < before.WeightKg*(1-dripSlack)-leftSlackKg:
		bad.Add("weight_kg", "all were cut, and the lot weighs %.2f kg: weigh them again, or correct the weight of the lot", before.WeightKg)
	}
}

// checkParts holds the parts against the fish that they were cut of, and the weights against each other.
func (p Cut) checkParts(before *State, bad *invalid.Errors) {
	has := cutting.PartsOf(before.Species(), before.Form)
	count := map[string]int{}
	for i, part := range p.Parts {
		n := slices.IndexFunc(has, func(x cutting.Part) bool { return x.ID == part.Form })
		if n < 0 {
			bad.Add(fmt.Sprintf("parts[%d].form", i), "does not come of %s, %s", before.Species().Name, FormName(before.Form))
			continue
		}
		count[part.Form] += part.Count
		if most := has[n].PerFish * p.Count; most > 0 && count[part.Form] > most {
			bad.Add(fmt.Sprintf("parts[%d].count", i), "%d fish have at most %d of them", p.Count, most)
		}
	}
	missing, err := cutting.Balance(p.WeightKg, p.weighed(), p.Rinsed)
	if err != nil {
		*bad = append(*bad, err.(invalid.Errors)...)
	}
	if missing > 0 && !p.Missing {
		bad.Add("missing", "%.2f kg more are gone than drip explains: weigh the bin too, or say that it is so", missing)
	}
}

func (p CutPart) check(bad *invalid.Errors) {
	if !slices.Contains(cutting.Destinations, p.To) {
		bad.Add("to", "say where it goes")
	}
	if !(p.WeightKg > 0) || math.IsInf(p.WeightKg, 0) {
		bad.Add("weight_kg", "must be above 0")
	}
	if p.Count < 0 || p.Count > 10000 || p.Count == 0 && p.Form != cutting.Waste && !p.To.Leaves() {
		bad.Add("count", "say how many pieces")
	}
	if p.Form == cutting.Waste && p.To != cutting.ToBin {
		bad.Add("to", "waste goes to the bin")
	}
	if begins := p.LotID != uuid.Nil; begins == p.To.Leaves() {
		bad.Add("lot_id", "what stays begins a lot, and what leaves begins none")
	}
	if !(p.Worth >= 0 && p.Worth <= 1000) {
		bad.Add("worth", "must be between 0 and 1000")
	}
}

// Derive implements Derived: what was not counted is as many as the fish have, what was not weighed is given its usual
// share of the rest, and the work its cost.
func (p Cut) Derive(before *State, f Facts, _ time.Time) Payload {
	p.Labour = int64(math.Round(p.Minutes / 60 * float64(f.WageCents)))
	if before == nil {
		return p
	}
	if p.Count == 0 && before.Count == 1 {
		p.Count = 1
	}
	p.Parts = slices.Clone(p.Parts)
	has := cutting.PartsOf(before.Species(), before.Form)
	for i, part := range p.Parts {
		n := slices.IndexFunc(has, func(x cutting.Part) bool { return x.ID == part.Form })
		if part.Count == 0 && n >= 0 {
			p.Parts[i].Count = has[n].PerFish * p.Count
		}
	}
	split, err := cutting.UsualSplit(before.Species(), before.Form, p.WeightKg, p.weighed())
	if err != nil {
		return p // Check says so: a part weighs nothing
	}
	for i, w := range split {
		p.Parts[i].WeightKg, p.Parts[i].Estimated = w.Kg, w.Estimated
	}
	return p
}

// Asks implements Gated: what nobody may cook is not worth the knife.
func (p Cut) Asks() Gate { return GateCook }

// cutGates are the gates that the parts ask that leave, or are to be eaten raw.
var cutGates = map[cutting.Destination]Gate{cutting.ToStock: ExitStock, cutting.ToStaff: ExitStaff, cutting.ToRawBar: GateRaw}

// Judge implements Judged: each part asks the gate of where it goes, each place is one of the kitchen's, and
// fish that is hard with frost is not cut.
func (p Cut) Judge(_ *State, f Facts, at time.Time, bad *invalid.Errors) {
	if f.FishC != nil && *f.FishC <= mostlyFrozenC {
		bad.Add("lot", "is frozen hard, %.1f °C: let it thaw first", *f.FishC)
	}
	if f.StiffUntil != nil && !p.Rigor {
		bad.Add("in_rigor", "it is stiff for %.0f h yet at least: cut now the flesh shrinks and gapes, pin bones tear it, and it gives "+
			"less. Wait, or say that it is to be cut all the same", math.Ceil(f.StiffUntil.Sub(at).Hours()))
	}
	for i, part := range p.Parts {
		field := fmt.Sprintf("parts[%d].", i)
		if gate, ok := cutGates[part.To]; ok {
			if answer := f.Answers[gate]; !answer.OK {
				bad.Add(field+"to", "%s: %s", part.To.Name(), answer.why())
			}
		}
		if _, ok := f.Places[part.PlaceID]; part.PlaceID != 0 && !ok {
			bad.Add(field+"place_id", "choose a place of this kitchen")
		}
	}
}

// keeps implements keeper: a correction changes weights and words, not which lots there are.
func (p Cut) keeps(was Payload, bad *invalid.Errors) {
	old := was.(Cut)
	keep("count", p.Count, old.Count, bad)
	keep("parts", len(p.Parts), len(old.Parts), bad)
	for i := range min(len(p.Parts), len(old.Parts)) {
		field, now, then := fmt.Sprintf("parts[%d].", i), p.Parts[i], old.Parts[i]
		keep(field+"lot_id", now.LotID, then.LotID, bad)
		keep(field+"code", now.Code, then.Code, bad)
		keep(field+"form", now.Form, then.Form, bad)
		keep(field+"to", now.To, then.To, bad)
		keep(field+"place_id", now.PlaceID, then.PlaceID, bad)
	}
}

// of is the cut as it counts for the lot whose fish were cut.
func (p Cut) of(s *State, e Event) CutMade {
	c := CutMade{Cut: p, EventID: e.ID, PersonID: e.PersonID, At: e.HappenedAt, Kg: math.Min(p.WeightKg, s.WeightKg)}
	if p.Count >= s.Count {
		c.Kg = s.WeightKg
	}
	if s.CostCents > 0 && s.WeightKg > 0 {
		c.Cents = s.CostCents*c.Kg/s.WeightKg + float64(p.Labour)
		c.Costs = p.shares(c.Cents)
	}
	return c
}

// Of is the cut as it would count for a lot.
func (p Cut) Of(s *State) CutMade { return p.of(s, Event{}) }

// Lost is what is gone more than drip explains, kg; 0 for nothing.
func (p Cut) Lost() float64 {
	missing, err := cutting.Balance(p.WeightKg, p.weighed(), p.Rinsed)
	if err != nil {
		return 0
	}
	return missing
}

// shares shares the cost of a cut over its parts, hundredths: by what they are worth, or by weight. Where
// none of them is worth anything it goes by weight.
func (p Cut) shares(cents float64) []float64 {
	list := make([]costing.Part, len(p.Parts))
	by := costing.ByWeight
	for i, part := range p.Parts {
		usual, _ := cutting.GetPart(part.Form)
		worth := part.Worth
		if worth == 0 {
			worth = usual.Worth
		}
		if part.To == cutting.ToBin {
			worth = 0
		}
		if worth > 0 && p.CostBy != costing.ByWeight {
			by = costing.ByValue
		}
		list[i] = costing.Part{Kg: part.WeightKg, ValuePerKg: worth}
	}
	shared, err := costing.Share(cents, list, by)
	if err != nil {
		return nil // weights were checked when it was written
	}
	costs := make([]float64, len(list))
	for i, part := range shared {
		costs[i] = part.Cost
	}
	return costs
}

func (p Cut) Apply(s *State, e Event) {
	c := p.of(s, e)
	s.Cuts = append(s.Cuts, c)
	s.keepPieceKg()
	for i, part := range p.Parts {
		if !part.To.Leaves() {
			continue
		}
		x := Exit{EventID: e.ID, At: e.HappenedAt, EndUse: part.use(), Form: part.Form, Kg: part.WeightKg, Count: part.Count,
			Estimated: part.Estimated}
		if x.EndUse == UsedWaste {
			x.Reason = WasteTrim
		}
		if c.Costs != nil {
			x.Cents, x.Priced = c.Costs[i], true
		}
		s.Exits = append(s.Exits, x)
	}
	if p.Count >= s.Count {
		s.end(WasCut, e.HappenedAt)
		return
	}
	s.CostCents -= s.CostCents * c.Kg / s.WeightKg
	s.Count, s.WeightKg = s.Count-p.Count, s.WeightKg-c.Kg
}

// use is what a part that leaves was used for.
func (p CutPart) use() EndUse {
	return map[cutting.Destination]EndUse{cutting.ToStock: UsedStock, cutting.ToStaff: UsedStaff, cutting.ToBin: UsedWaste}[p.To]
}

// follows is what a lot that the cut began goes on with, where the cut was corrected: it weighs, and costs,
// what its part does now.
func (p SplitFrom) follows(now SplitFrom) SplitFrom {
	p.Received.Count, p.Received.WeightKg = now.Received.Count, now.Received.WeightKg
	p.CostCents, p.Boneless, p.Estimated = now.CostCents, now.Boneless, now.Estimated
	return p
}

// keeps implements keeper: how a lot began follows the cut that it came of, in weight and cost alone.
func (p SplitFrom) keeps(was Payload, bad *invalid.Errors) {
	if !reflect.DeepEqual(was.(SplitFrom).follows(p), p) {
		bad.Add("parent_id", "cannot be corrected, but for what it weighs")
	}
}

// FollowCut is the correction of the lot that part i of a cut began, whose cut, of the lot whole, was
// corrected: false where nothing of it changes.
func FollowCut(s, whole *State, eventID uuid.UUID, i int) (Corrected, bool, error) {
	made, ok := whole.CutBy(eventID)
	first := slices.IndexFunc(s.stands, func(e entry) bool { return e.Kind == KindFor[SplitFrom]() })
	if !ok || first < 0 {
		return Corrected{}, false, fmt.Errorf("lot %s was not cut of lot %s", s.ID, whole.ID)
	}
	now := s.stands[first].payload.(SplitFrom)
	was := now
	part := made.Parts[i]
	now.Received.Count, now.Received.WeightKg = part.Count, part.WeightKg
	now.CostCents, now.Estimated, now.Boneless = 0, part.Estimated, part.Boneless
	if made.Costs != nil {
		now.CostCents = made.Costs[i]
	}
	if reflect.DeepEqual(was, now) {
		return Corrected{}, false, nil
	}
	data, err := json.Marshal(now)
	return Corrected{EventID: s.stands[first].ID, Data: data, Reason: "follows the correction of the cut of lot " + whole.Received.Code},
		true, err
}

// InheritCut makes the first event of the lot that part i of a cut begins. s is the lot before the cut,
// whose event is e; head is the hash of it.
func InheritCut(s *State, head []byte, e Event, cut Cut, i int) SplitFrom {
	part := cut.Parts[i]
	p := Inherit(s, head, SplitLot{LotID: part.LotID, Code: part.Code, Count: part.Count, WeightKg: part.WeightKg}, nil)
	if made := cut.of(s, e); made.Costs != nil {
		p.CostCents = made.Costs[i]
	}
	p.cut(s, e, cut, part)
	for n, other := range s.Others { // the knife went through its fish as well
		p.Others[n].cut(other, e, cut, part)
	}
	return p
}

// cut makes of how a lot goes on how a part of it does that was cut.
func (p *SplitFrom) cut(s *State, e Event, cut Cut, part CutPart) {
	p.Received.Form, p.Received.MM, p.Received.LengthMM = part.Form, nil, nil
	was := s.Piece()
	now := was.Cut(s.Form, part.Form)
	p.PiecesBefore = append(slices.Clip(p.PiecesBefore), inheritedPiece{e.HappenedAt, was.Shape, was.ThicknessMM})
	p.Piece, p.PieceKg = &inheritedPiece{Shape: now.Shape, ThicknessMM: now.ThicknessMM}, 0
	p.CutFrom, p.Boneless, p.Estimated = s.Form, part.Boneless, part.Estimated
	if !cutting.IsCut(s.Form) && s.CutAt.IsZero() && cut.Opens(part.Form) {
		p.CutAt = e.HappenedAt
	}
}

// CutBy is the cut that an event wrote; false for none that stands.
func (s *State) CutBy(event uuid.UUID) (CutMade, bool) {
	i := slices.IndexFunc(s.Cuts, func(c CutMade) bool { return c.EventID == event })
	if i < 0 {
		return CutMade{}, false
	}
	return s.Cuts[i], true
}
