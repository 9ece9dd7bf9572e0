package lot

import (
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
)

// EndUse is what fish that left the kitchen was used for.
type EndUse string

// The end uses; the zero EndUse stands for events of earlier versions, which did not say.
const (
	UsedRaw     EndUse = "raw"
	UsedCooked  EndUse = "cooked"
	UsedStaff   EndUse = "staff"   // eaten by the staff, cooked
	UsedTasting EndUse = "tasting" // it may be eaten raw: nobody says how
	UsedSold    EndUse = "sold"
	UsedMoved   EndUse = "moved" // to another kitchen
	UsedStock   EndUse = "stock_pot"
	UsedWaste   EndUse = "waste"
	NotCounted  EndUse = "not_found" // gone at a count, nobody knows where to; no use that is chosen
)

// EndUses lists those that are chosen, the most usual first.
var EndUses = []EndUse{UsedCooked, UsedRaw, UsedStaff, UsedTasting, UsedSold, UsedMoved, UsedStock, UsedWaste}

// Name is the end use in words; "" for one that nobody said.
func (u EndUse) Name() string {
	return map[EndUse]string{UsedRaw: "served raw", UsedCooked: "cooked", UsedStaff: "eaten by the staff",
		UsedTasting: "tasted", UsedSold: "sold", UsedMoved: "moved to another kitchen", UsedStock: "to the stock pot",
		UsedWaste: "wasted", NotCounted: "not accounted for"}[u]
}

// WasteReason is why fish was thrown away.
type WasteReason string

// The reasons, the most usual first.
const (
	WasteTrim      WasteReason = "trim" // what nobody eats
	WasteTooOld    WasteReason = "too_old"
	WasteUnsafe    WasteReason = "unsafe" // a clock ran out
	WasteLeftOver  WasteReason = "left_over"
	WasteBadlyCut  WasteReason = "badly_cut"
	WasteDropped   WasteReason = "dropped"
	WasteArrivedSo WasteReason = "arrived_so" // as it came from the supplier
	WasteOther     WasteReason = "other"      // as its note says
)

// WasteReasons lists them.
var WasteReasons = []WasteReason{WasteTrim, WasteTooOld, WasteUnsafe, WasteLeftOver, WasteBadlyCut, WasteDropped,
	WasteArrivedSo, WasteOther}

// Name is the reason in words; "" for none.
func (r WasteReason) Name() string {
	return map[WasteReason]string{WasteTrim: "trim, nobody eats it", WasteTooOld: "too old, smelled off",
		WasteUnsafe: "unsafe, a clock ran out", WasteLeftOver: "left over after service", WasteBadlyCut: "badly cut",
		WasteDropped: "dropped or spilled", WasteArrivedSo: "bad when it arrived", WasteOther: "something else"}[r]
}

// Taken says that some of the lot, or all that was left of it, went to a use. What is left
// keeps the lot's name and its clocks.
type Taken struct {
	EndUse   EndUse      `json:"end_use"`
	All      bool        `json:"all,omitempty"`       // that is left: neither weight nor count is given
	WeightKg float64     `json:"weight_kg,omitempty"` // 0: the pieces' share of the weight
	Count    int         `json:"count,omitempty"`     // fish or pieces; 0: as the weight says
	Reason   WasteReason `json:"reason,omitempty"`    // of waste
	Note     string      `json:"note,omitempty"`
	// of what was par-cooked, at the end of its second heating; nil where nobody measured
	CoreC *float64 `json:"core_celsius,omitempty"`
}

// Exit is fish that left the lot, in part or as the last of it.
type Exit struct {
	EventID   uuid.UUID
	At        time.Time
	EndUse    EndUse
	Form      string // of the part that was cut off; "" for fish of the lot as it was
	Kg        float64
	Count     int
	Cents     float64     // its share of what the lot cost
	Priced    bool        // that is known
	Estimated bool        // Kg is a share by count: nobody weighed it
	Reason    WasteReason // of waste; "" where the note says it
	Note      string
}

// takeSlack is how much more than the record says a scale may find in what is left, as a
// share; dripSlack how much less, where all the pieces are taken (house).
const takeSlack, dripSlack = 0.02, 0.1

// leaves is how much of the lot goes, and whether that is all of it.
func (p Taken) leaves(s *State) (kg float64, count int, all bool) {
	kg = math.Min(p.WeightKg, s.WeightKg)
	if p.WeightKg == 0 {
		kg = s.WeightKg * float64(p.Count) / float64(s.Count)
	}
	if p.All || s.emptiedBy(kg) || p.Count >= s.Count {
		return s.WeightKg, s.Count, true
	}
	count = p.Count
	if count == 0 { // a piece that is begun is a piece
		count = s.Count - int(math.Ceil(float64(s.Count)*(1-kg/s.WeightKg)-1e-9))
	}
	return kg, count, false
}

func (p Taken) Check(before *State, at time.Time, bad *invalid.Errors) {
	here := onHand(before, at, bad)
	waste := p.EndUse == UsedWaste
	if here && before.Hold != "" && !waste {
		bad.Add("lot", "is on hold: %s", before.Hold)
	}
	if here && before.Ageing() != nil && !waste {
		bad.Add("lot", "hangs in the ageing cabinet: take it out and weigh it first")
	}
	if !slices.Contains(EndUses, p.EndUse) {
		bad.Add("end_use", "say what it is used for")
	}
	switch {
	case p.All && (p.WeightKg != 0 || p.Count != 0):
		bad.Add("all", "or a part: give one of them")
	case p.All:
	case !(p.WeightKg >= 0) || math.IsInf(p.WeightKg, 0):
		bad.Add("weight_kg", "must be above 0")
	case p.Count < 0:
		bad.Add("count", "must be at least 1")
	case p.WeightKg == 0 && p.Count == 0:
		bad.Add("weight_kg", "say how much")
	case here && p.WeightKg > before.WeightKg*(1+takeSlack)+leftSlackKg:
		bad.Add("weight_kg", "is more than there is: %.2f kg", before.WeightKg)
	case here && p.Count > before.Count:
		bad.Add("count", "is more than there are: %d", before.Count)
	case here && p.Count == before.Count && p.WeightKg > 0 && p.WeightKg < before.WeightKg*(1-dripSlack)-leftSlackKg:
		bad.Add("count", "are all of them, and %.2f kg would be left: give the weight alone, or correct the weight of the lot",
			before.WeightKg-p.WeightKg)
	}
	switch {
	case waste && !slices.Contains(WasteReasons, p.Reason):
		bad.Add("reason", "say why it is thrown away")
	case waste && p.Reason == WasteOther && p.Note == "":
		bad.Add("note", "say what it was")
	case !waste && p.Reason != "":
		bad.Add("reason", "is for waste")
	}
	if p.CoreC != nil {
		cookedCore(*p.CoreC, bad)
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// Judge implements Judged.
func (p Taken) Judge(before *State, f Facts, _ time.Time, bad *invalid.Errors) {
	f.servedThrough(before, p.EndUse, p.CoreC, bad)
}

// Asks implements Gated.
func (p Taken) Asks() Gate { return p.EndUse.exit() }

func (p Taken) Apply(s *State, e Event) {
	kg, count, all := p.leaves(s)
	x := Exit{EndUse: p.EndUse, Kg: kg, Count: count, Estimated: p.WeightKg == 0 && !all, Reason: p.Reason, Note: p.Note}
	s.exit(e, x)
	switch {
	case all && p.EndUse == UsedWaste:
		s.end(WasDiscarded, e.HappenedAt)
	case all:
		s.end(Finished, e.HappenedAt)
	}
}

// leftSlackKg is how little of a lot counts as nothing left of it.
const leftSlackKg = 0.005

// emptiedBy reports whether nothing is left once so much leaves, kg.
func (s *State) emptiedBy(kg float64) bool { return kg >= s.WeightKg-leftSlackKg }

// exit notes what leaves and takes it off what is left. The last that leaves leaves the
// lot's count, weight and cost as they were: they say what left.
func (s *State) exit(e Event, x Exit) {
	x.EventID, x.At = e.ID, e.HappenedAt
	if s.WeightKg > 0 {
		x.Cents, x.Priced = s.CostCents*x.Kg/s.WeightKg, s.CostCents > 0
	}
	s.Exits = append(s.Exits, x)
	s.keepPieceKg()
	if x.Kg < s.WeightKg {
		s.Count, s.WeightKg, s.CostCents = max(1, s.Count-x.Count), s.WeightKg-x.Kg, s.CostCents-x.Cents
	}
}

// exitAll notes that all that is left leaves.
func (s *State) exitAll(e Event, x Exit) {
	x.Kg, x.Count = s.WeightKg, s.Count
	s.exit(e, x)
}

// exit is the gate through which fish leaves to the use.
func (u EndUse) exit() Gate { return Gate("exit_" + u) }
