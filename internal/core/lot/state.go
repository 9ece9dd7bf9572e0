package lot

import (
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/species"
)

// Status says whether the lot is here.
type Status string

// The states of a lot.
const (
	OnHand       Status = "on hand"
	WasRefused   Status = "refused"
	Finished     Status = "used up"
	WasDiscarded Status = "discarded"
	Cancelled    Status = "cancelled"    // its receipt was voided
	WasSplit     Status = "parted"       // its fish went on as other lots
	WasCut       Status = "cut"          // its last fish were cut: their parts went on as other lots
	WasMerged    Status = "put together" // with another lot, which goes on
	WasNotFound  Status = "not accounted for"
)

// Name is the status in words.
func (s Status) Name() string {
	switch s {
	case Finished:
		return "finished"
	case WasSplit:
		return "split"
	case WasMerged:
		return "put together with another"
	}
	return string(s)
}

// State is what the events of a lot add up to.
type State struct {
	ID           uuid.UUID
	Seq          int
	Head         []byte   // hash of the last event
	Received     Received // as it came: a part as it was split off
	ReceivedAt   time.Time
	Form         string    // on hand
	Count        int       //
	WeightKg     float64   //
	CostCents    float64   // what it cost, landed, hundredths of the kitchen's currency; 0: not known
	Declared     Declared  // where it comes from, by the last declaration; the zero Declared for none
	SplitAt      time.Time // when it was split off another lot; zero for one that was received
	Parent       uuid.UUID // the lot that it was split off; zero for none
	ParentCode   string
	CameFrom     string     // the kitchen that sent it; "" for what was received here
	SentAt       time.Time  // when that sent it
	SplitInto    []SplitLot // what it was split into
	Cuts         []CutMade  // of its fish
	Preparations []Step[Prepared]
	// the lots that were put together with it, as they were, and what happened to all of them since
	Others          []*State
	GoesOnAs        uuid.UUID // the lot that it was put with; zero for none
	CutFrom         string    // the form of the fish that it was cut of; "" where it was not cut here
	CutAt           time.Time // when a knife first opened its flesh here; zero where it came cut, or is not
	Boneless        bool      // a finger went along the seam of each piece
	Estimated       bool      // its weight is by usual proportions: nobody weighed it
	Status          Status
	EndedAt         time.Time // when it left; zero while on hand
	Exits           []Exit    // what left it, in parts or as the last of it
	RefusedFor      string
	Hold            string // why it is on hold; "" where it is not
	Stays           []Stay
	CoreReadings    []coldchain.Reading // core temperatures, ascending
	Loggers         []LoggerStay
	Inspections     []Inspection
	Photos          []PhotoTaken
	Checks          []CheckMade // of cleaning and packing, the last one counts
	Complaints      []ComplaintMade
	Harvest         Harvest // the way to the ice
	Tests           []TestMade
	Packs           []PackStay
	Reviews         []ReviewMade               // after failures of its places
	FrozenStays     []FrozenStay               // times in which it lay frozen
	Hangings        []Hanging                  // times in which it hung to age
	Cooked          *Step[Cooked]              // nil while it is raw
	Cooled          []coldchain.Reading        // its core since then
	HeatedAt        time.Time                  // when it was raw for the last time; zero while it is
	ParCooked       *Step[ParCooked]           // nil where it was cooked through, or not at all
	Stocked         *Step[Stocked]             // nil for what is no stock
	GapExplanations []GapExplanation           // of time that nobody recorded, in the order of Until
	CancelledCores  []time.Time                // when a core was measured that was cancelled since: nobody knows the hours around it
	Voids           map[uuid.UUID]*Void        // by the event that is struck through
	Corrections     map[uuid.UUID][]Correction // by the event that is corrected
	inherited       []InheritedEvent           // what its parts would go on with
	log             []entry                    // in the order of Seq
	stands          []entry                    // those that were not voided, as corrected, in the order in which they happened
	catalogue       species.Catalogue
	// what happens now happened to its parent: where it lay, its temperatures and its weight are there already
	inheriting     bool
	piece          *inheritedPiece  // as it was cut; nil where it was not
	piecesBefore   []inheritedPiece // what it was before it was cut, by Until
	pieceKg        float64          // what a piece weighed before some of the lot left; 0 where none did
	fromInspection bool             // the hold comes from an inspection, so that a better one ends it
	needsManager   bool             // the hold comes from a hard stop, so that only a manager ends it
}

// Log lists the ids of the events that the state was folded from, in the order of Seq.
func (s *State) Log() []uuid.UUID {
	ids := make([]uuid.UUID, len(s.log))
	for i, e := range s.log {
		ids[i] = e.ID
	}
	return ids
}

// Species returns the catalogue's entry for the lot: as farmed, where its papers say so.
func (s *State) Species() species.Species {
	sp, _ := s.catalogue.Get(s.Received.SpeciesID)
	if s.Declared.Origin == Farmed {
		return sp.AsFarmed()
	}
	return sp
}

func (s *State) end(status Status, at time.Time) {
	s.Status, s.EndedAt = status, at
}
