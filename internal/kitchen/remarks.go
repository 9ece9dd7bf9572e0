package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/remark"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// Remark is what a guest said of a lot's fish.
type Remark struct {
	ID         uuid.UUID
	LotID      uuid.UUID
	ServedAt   time.Time
	Word       remark.Word
	Raw        bool // it was served so
	Note       string
	At         time.Time // when it was written down
	Person     string
	Cause      remark.Cause // the likeliest, as the record had it then
	Code       string
	Species    species.Species
	SupplierID int64
	Supplier   string
	Cutter     string // "" where nobody cut it here
	StruckAt   *time.Time
}

// remarksBack is how far back remarks are counted.
const remarksBack = 180 * 24 * time.Hour

// Remarks lists what guests said of late, the last first.
func (k *Kitchen) Remarks(ctx context.Context) ([]Remark, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.Remarks(ctx, store.RemarksParams{SiteID: site.ID, Since: k.Now().Add(-remarksBack)})
	return mapped(rows, err, func(r store.RemarksRow) Remark {
		out := Remark{ID: r.ID, LotID: r.LotID, ServedAt: r.ServedAt, Word: remark.Word(r.Word), Raw: r.Raw, Note: r.Note, At: r.At,
			Person: r.Person,
			Code:   r.Code, SupplierID: r.SupplierID, Supplier: r.Supplier, Cutter: r.Cutter, StruckAt: r.StruckAt}
		out.Cause, _ = remark.Known(r.Cause)
		out.Species, _ = site.Catalogue().Get(r.Species)
		return out
	})
}

// RemarkCount is how many remarks point to a supplier, a step of the fish's way, or who cut it.
type RemarkCount struct {
	Of    string
	Count int
	Words []string // each with how often, the most usual first
}

// CountRemarks counts those that stand by something of theirs, the most first; those of which that is "" are left out.
func CountRemarks(list []Remark, by func(Remark) string) []RemarkCount {
	words := map[string]map[string]int{}
	for _, r := range list {
		if of := by(r); of != "" && r.StruckAt == nil {
			if words[of] == nil {
				words[of] = map[string]int{}
			}
			words[of][r.Word.Name()]++
		}
	}
	var counts []RemarkCount
	for of, said := range words {
		c := RemarkCount{Of: of}
		usual := slices.SortedFunc(maps.Keys(said), func(a, b string) int { return cmp.Or(said[b]-said[a], strings.Compare(a, b)) })
		for _, w := range usual {
			c.Count += said[w]
			c.Words = append(c.Words, fmt.Sprintf("%d %s", said[w], w))
		}
		counts = append(counts, c)
	}
	slices.SortFunc(counts, func(a, b RemarkCount) int { return cmp.Or(b.Count-a.Count, strings.Compare(a.Of, b.Of)) })
	return counts
}

// ServedLot is one that guests ate of.
type ServedLot struct {
	LotID    uuid.UUID
	Code     string
	Species  species.Species
	Form     string
	Supplier string
	Last     time.Time // when some of it went to them
}

// servedBack is how long after a meal a guest says something.
const servedBack = 7 * 24 * time.Hour

// LotsServed lists those of the last days, the last first.
func (k *Kitchen) LotsServed(ctx context.Context) ([]ServedLot, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.LotsServed(ctx, store.LotsServedParams{SiteID: site.ID, Since: k.Now().Add(-servedBack)})
	return mapped(rows, err, func(r store.LotsServedRow) ServedLot {
		out := ServedLot{LotID: r.LotID, Code: r.Code, Form: r.Form, Supplier: r.Supplier, Last: r.Last}
		out.Species, _ = site.Catalogue().Get(r.Species)
		return out
	})
}

// Traced is a remark with its causes, ranked, by the record as it is now.
type Traced struct {
	Causes   []remark.Cause
	State    *lot.State
	CutterID int64 // who cut it; 0 where nobody did here
}

// TraceRemark ranks what may have caused a word about a lot's fish that was served at a time.
func (k *Kitchen) TraceRemark(ctx context.Context, id uuid.UUID, w remark.Word, at time.Time, raw bool) (Traced, error) {
	site, q := ActorFrom(ctx).Site, k.DB.Queries
	before, err := q.LotsBefore(ctx, store.LotsBeforeParams{SiteID: site.ID, Lots: []uuid.UUID{id}})
	if err != nil {
		return Traced{}, fmt.Errorf("what lot %s was: %w", id, err)
	}
	list, err := k.states(ctx, q, site, before...)
	if err != nil {
		return Traced{}, err
	}
	states := map[uuid.UUID]*lot.State{}
	for _, s := range list {
		states[s.ID] = s
	}
	s := states[id]
	if s == nil {
		return Traced{}, ErrNotFound
	}
	env, err := k.environmentFor(ctx, q, site, []*lot.State{s}, assess.CutsAt(at)...)
	if err != nil {
		return Traced{}, err
	}
	cut, part := cutOf(s, states)
	out := Traced{Causes: remark.Trace(w, remarkFacts(assess.Assess(s, env.Env, at), s, cut, part, at, raw)), State: s}
	if cut != nil {
		out.CutterID = cut.Cutter()
	}
	return out, nil
}

// cutOf is the cut that a lot came of, with its part; nil where nobody cut it here.
func cutOf(s *lot.State, states map[uuid.UUID]*lot.State) (*lot.CutMade, lot.CutPart) {
	for id := s.ID; states[id] != nil; id = states[id].Parent {
		parent := states[states[id].Parent]
		if parent == nil {
			break
		}
		for i, cut := range parent.Cuts {
			for _, part := range cut.Parts {
				if part.LotID == id {
					return &parent.Cuts[i], part
				}
			}
		}
	}
	return nil, lot.CutPart{}
}

// remarkFacts are what the record says of a lot's fish until it was served.
func remarkFacts(a assess.Assessment, s *lot.State, cut *lot.CutMade, part lot.CutPart, at time.Time, raw bool) remark.Facts {
	sp, h := s.Species(), s.Harvest
	f := remark.Facts{Oily: s.FatClass() == frozen.Fatty, SharkOrRay: sp.Group == "shark" || sp.Body == species.Ray,
		BigTuna: sp.Body == species.LargePelagic,
		Raw:     raw, Fought: h.Stressed(), OlderBy: a.GapDays}
	hours := func(from, to time.Time) *float64 {
		v := to.Sub(from).Hours()
		return &v
	}
	if h.Bled != nil {
		bled := h.Bled.Data.How != "none"
		f.Bled, f.BledMinutes = &bled, a.Bleeding.Minutes
	}
	if death, ok := s.Death(); ok {
		if h.Iced != nil {
			f.IceHours = hours(death.At, h.Iced.At)
		}
		if h.Gutted != nil {
			f.GuttedHours = hours(death.At, h.Gutted.At)
		}
	}
	if a.Known() && a.Shelf > 0 {
		share := a.Used.Days / a.Shelf
		f.Spent = &share
	}
	warm := 0.0
	if o := a.OutOfCold; o != nil {
		warm = o.Hours
	}
	f.WarmHours = &warm
	if melted := s.Received.Ice == "melted"; melted || s.Received.Ice == "well_iced" {
		f.MeltWater = &melted
	}
	frozenFacts(&f, a, s, at)
	for _, hung := range s.Hangings {
		to := hung.To
		if to.IsZero() {
			to = at
		}
		f.AgedDays += to.Sub(hung.From).Hours() / 24
	}
	if cut != nil {
		f.Policies, f.Boneless, f.CutStiff = cut.Policies, &part.Boneless, &cut.Rigor
	}
	if s.Received.Count > 0 {
		grams := 1000 * s.Received.WeightKg / float64(s.Received.Count)
		f.PieceG = &grams
	}
	if n := len(s.Preparations); n > 0 {
		last := s.Preparations[n-1]
		f.Method, f.PreparedHours = last.Data.Method, hours(last.At, at)
	}
	if s.Cooked != nil {
		f.CookedC, f.CookedAhead = &s.Cooked.Data.CoreC, true
	}
	return f
}

// frozenFacts are those of fish that was frozen.
func frozenFacts(f *remark.Facts, a assess.Assessment, s *lot.State, at time.Time) {
	for _, stay := range s.FrozenStays {
		f.WasFrozen, f.Refrozen = true, f.Refrozen || stay.Warmed
		if stay.Froze != nil {
			if forecast, err := freezing.Predict(stay.Froze.Batch(heat.Of(s.Species()))); err == nil && forecast.Passed() {
				hours := forecast.Passage.Hours()
				f.FreezeHours = &hours
			}
		}
		if stay.Pull != nil {
			f.ThawInWater, f.ThawMediumC = strings.Contains(stay.Pull.Method, "water"), &stay.Pull.MediumC
		}
		if stay.Thawed != nil {
			share, hours := stay.Thawed.DripKg/(s.WeightKg+stay.Thawed.DripKg), at.Sub(stay.ThawedAt).Hours()
			f.ThawedHours = &hours
			if stay.Thawed.DripKg > 0 {
				f.DripShare = &share
			}
		}
	}
	if life := a.FrozenLife; life != nil {
		f.FrozenSpent = &life.Share
	}
}

// NewRemark is one to be written down.
type NewRemark struct {
	ID       uuid.UUID
	LotID    uuid.UUID
	Word     remark.Word
	ServedAt time.Time
	Raw      bool
	Note     string
}

// check finds what is wrong with it, on lot_id, word, served_at and note.
func (n NewRemark) check(now time.Time, bad *invalid.Errors) {
	if n.LotID == uuid.Nil {
		bad.Add("lot_id", "choose the fish")
	}
	if !slices.Contains(remark.Words, n.Word) {
		bad.Add("word", "choose the nearest word")
	}
	if n.ServedAt.After(now) || now.Sub(n.ServedAt) > remarksBack {
		bad.Add("served_at", "is not to come, nor half a year ago")
	}
	if invalid.TooLong(n.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// AddRemark writes it down, once for an id, with its likeliest cause.
func (k *Kitchen) AddRemark(ctx context.Context, n NewRemark) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	n.Note = strings.TrimSpace(n.Note)
	var bad invalid.Errors
	if n.check(k.Now(), &bad); len(bad) > 0 {
		return bad
	}
	traced, err := k.TraceRemark(ctx, n.LotID, n.Word, n.ServedAt, n.Raw)
	if err != nil {
		return err
	}
	row := store.AddRemarkParams{SiteID: a.Site.ID, ID: n.ID, LotID: n.LotID, ServedAt: n.ServedAt, Word: string(n.Word), Note: n.Note,
		Raw:   n.Raw,
		Cause: traced.Causes[0].ID, At: k.Now(), PersonID: a.Person.ID}
	if traced.CutterID != 0 {
		row.CutterID = &traced.CutterID
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.AddRemark(ctx, row); err != nil {
			return fmt.Errorf("keeping what a guest said: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// CancelRemark strikes one through: it was of other fish, or a slip of the hand. It stays in the list.
func (k *Kitchen) CancelRemark(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.StrikeRemark(ctx, store.StrikeRemarkParams{SiteID: a.Site.ID, ID: id, StruckAt: &now, StruckBy: &a.Person.ID})
		if err != nil {
			return fmt.Errorf("cancelling a remark: %w", err)
		}
		if n == 0 {
			return ErrNotFound
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
