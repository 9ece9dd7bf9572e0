package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// Supplier is who sells fish to the kitchen.
type Supplier struct {
	ID         int64
	Name       string
	Kind       string
	Approval   string
	ApprovedTo *time.Time
	planning.Deliveries
}

// SupplierNames lists the suppliers by name.
func (k *Kitchen) SupplierNames(ctx context.Context) ([]Supplier, error) {
	rows, err := k.DB.Suppliers(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, supplierOf)
}

func supplierOf(r store.Supplier) Supplier {
	return Supplier{ID: r.ID, Name: r.Name, Kind: r.Kind, Approval: r.Approval, ApprovedTo: r.ApprovedTo, Deliveries: deliveriesOf(r)}
}

// deliveriesOf are when a supplier delivers.
func deliveriesOf(r store.Supplier) planning.Deliveries {
	d := planning.Deliveries{Arrives: r.Arrives, OrderBy: r.OrderBy, OrderDays: int(r.OrderDays)}
	for _, day := range r.DeliverDays {
		d.Days = append(d.Days, time.Weekday(day%7))
	}
	return d
}

// SetDeliveries says when a supplier delivers. Its errors are on arrives, order_by and order_days.
func (k *Kitchen) SetDeliveries(ctx context.Context, id int64, d planning.Deliveries) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	var bad invalid.Errors
	if d.Check(&bad); len(bad) > 0 {
		return bad
	}
	row := store.SetDeliveriesParams{SiteID: a.Site.ID, ID: id, Arrives: d.Arrives, OrderBy: d.OrderBy, OrderDays: int64(d.OrderDays), DeliverDays: []int64{}}
	for _, day := range d.Days {
		row.DeliverDays = append(row.DeliverDays, (int64(day)+6)%7+1)
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.SetDeliveries(ctx, row)
		if err != nil {
			return fmt.Errorf("setting the deliveries of a supplier: %w", err)
		}
		if n == 0 {
			return ErrNotFound
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// Box is what a box of a supplier's fish holds; Kg 0 where it does not come in boxes.
type Box struct {
	Species, Form string
	Kg            float64
}

// Field names what is said of the box.
func (b Box) Field() string { return "box-" + b.Species + "-" + b.Form }

// mostBoxKg is the heaviest box that anybody lifts.
const mostBoxKg = 100

// SetBoxes says what a supplier's boxes hold. Errors are on the Field of the box.
func (k *Kitchen) SetBoxes(ctx context.Context, id int64, boxes []Box) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	var bad invalid.Errors
	for _, b := range boxes {
		if !(b.Kg >= 0 && b.Kg <= mostBoxKg) {
			bad.Add(b.Field(), "at most %d kg", mostBoxKg)
		}
	}
	if len(bad) > 0 {
		return bad
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.Supplier(ctx, store.SupplierParams{SiteID: a.Site.ID, ID: id}); err != nil {
			return err
		}
		for _, b := range boxes {
			key := store.DropSupplierBoxParams{SiteID: a.Site.ID, SupplierID: id, Species: b.Species, Form: b.Form}
			err := tx.DropSupplierBox(ctx, key)
			if err == nil && b.Kg > 0 {
				err = tx.PutSupplierBox(ctx, store.PutSupplierBoxParams{SiteID: a.Site.ID, SupplierID: id, Species: b.Species, Form: b.Form, BoxKg: b.Kg})
			}
			if err != nil {
				return fmt.Errorf("what a box of %s holds: %w", b.Species, err)
			}
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// SupplierCount is a supplier with how many lots came, and how many went back.
type SupplierCount struct {
	ID      int64
	Name    string
	Lots    int64
	Refused int64
}

// Suppliers lists the suppliers with their lots and refusals.
func (k *Kitchen) Suppliers(ctx context.Context) ([]SupplierCount, error) {
	rows, err := k.DB.SupplierCounts(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, func(r store.SupplierCountsRow) SupplierCount { return SupplierCount(r) })
}

// The kinds of supplier: a boat, or a dealer whose fish came through a first receiver's gate.
const (
	Boat   = "boat"
	Dealer = "dealer"
)

// dealersOf are the dealers among suppliers, and until when their number stands.
func dealersOf(suppliers []store.Supplier, site Site) map[int64]time.Time {
	until := map[int64]time.Time{}
	for _, s := range suppliers {
		if s.Kind == Dealer && s.ApprovedTo != nil {
			y, m, d := s.ApprovedTo.Date()
			until[s.ID] = time.Date(y, m, d+1, 0, 0, 0, 0, Actor{Site: site}.Zone())
		}
	}
	return until
}

// SupplierKind says what a supplier is.
type SupplierKind struct {
	ID         int64
	Kind       string
	Approval   string     // the number of a dealer
	ApprovedTo *time.Time // the last day on which it stands
}

// SetSupplierKind says what a supplier is; only a manager may, who checked the number. Its errors are
// on kind, approval and approved_to.
func (k *Kitchen) SetSupplierKind(ctx context.Context, in SupplierKind) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	if in.Kind != Boat && in.Kind != Dealer {
		bad.Add("kind", "say whether it is a boat or a dealer")
	}
	if in.Approval = strings.TrimSpace(in.Approval); in.Kind == Dealer {
		if in.Approval == "" || invalid.TooLong(in.Approval, 80) {
			bad.Add("approval", "give its approval or registration number")
		}
		if in.ApprovedTo == nil {
			bad.Add("approved_to", "give the last day on which the number stands")
		}
	} else if in.Approval != "" || in.ApprovedTo != nil {
		bad.Add("approval", "a boat has none: leave the number and its day empty, or choose the dealer")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.SetSupplierKind(ctx, store.SetSupplierKindParams{SiteID: a.Site.ID, ID: in.ID, Kind: in.Kind,
			Approval: in.Approval, ApprovedTo: in.ApprovedTo})
		if err != nil {
			return err
		}
		if n == 0 {
			return ErrNotFound
		}
		if err := k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool { return b.SupplierID == in.ID }); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// SetWage sets what an hour of the kitchen's work counts, in cents. Only a
// manager may.
func (k *Kitchen) SetWage(ctx context.Context, cents int64) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	if cents <= 0 || cents > 1_000_000 {
		return invalid.Errors{{Field: "wage", Message: "must be above 0 and at most 10 000"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetWage(ctx, store.SetWageParams{ID: a.Site.ID, WageCents: cents}); err != nil {
			return fmt.Errorf("setting the wage: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// SupplierSummary is what is known of a supplier. It says consistency, not honesty,
// and ranks nobody.
type SupplierSummary struct {
	Supplier
	Lots       int
	Species    []SupplierSpecies
	Refused    []Row
	Reworked   []Row
	Complaints []SupplierComplaint
	// Arrival temperatures of chilled fish, °C.
	Cores              []float64
	TooWarm            int // above the limit of the profile in force
	ReworkMin          float64
	ReworkCents        int64
	Months             []SupplierMonth    // of the last year, the last first
	Papers             []DeclarationEntry // its declarations that stand, those that run out first on top
	Remarks            []Remark           // what guests said of its fish, the last first
	MeanCore, WarmCore float64
}

// SupplierSpecies is the age gap of a supplier's fish of one species over time.
type SupplierSpecies struct {
	species.Species
	freshness.Consistency
	Rows []Row // those with a gap, the oldest first
}

// Drawable reports whether there are lots enough to draw.
func (s SupplierSpecies) Drawable() bool { return len(s.Rows) >= fewestDrawn }

// fewestDrawn is the number of lots from which their gaps are drawn.
const fewestDrawn = 3

// SupplierComplaint is a complaint with the lot that it is about.
type SupplierComplaint struct {
	ComplaintLine
	Row
	Answer      string // what became of it, in words; "" for nothing yet
	CreditCents int64
}

// Supplier gathers what the lots of a supplier say.
func (k *Kitchen) Supplier(ctx context.Context, id int64) (SupplierSummary, error) {
	a := ActorFrom(ctx)
	var out SupplierSummary
	row, err := k.DB.Supplier(ctx, store.SupplierParams{SiteID: a.Site.ID, ID: id})
	if err != nil {
		return out, err
	}
	out.Supplier = supplierOf(row)
	list, err := k.DB.BoardOfSupplier(ctx, store.BoardOfSupplierParams{SiteID: a.Site.ID, SupplierID: id})
	if err != nil {
		return out, fmt.Errorf("loading the lots of %s: %w", out.Name, err)
	}
	rows, err := rowsAt(a.Site.Catalogue(), list, k.Now())
	if err != nil {
		return out, err
	}
	for _, r := range rows {
		if err := out.add(r, a); err != nil {
			return out, err
		}
	}
	out.sum()
	if err := k.file(ctx, &out, rows); err != nil {
		return out, err
	}
	if out.Papers, err = k.papers(ctx, id); err != nil {
		return out, err
	}
	remarks, err := k.Remarks(ctx)
	if err != nil {
		return out, err
	}
	out.Remarks = slices.DeleteFunc(remarks, func(r Remark) bool { return r.SupplierID != id || r.StruckAt != nil })
	return out, nil
}

// add counts a lot. A part of a lot was received with it: only what happened to
// the part itself counts.
func (s *SupplierSummary) add(r Row, a Actor) error {
	if r.Status == string(lot.WasRefused) {
		s.Refused = append(s.Refused, r)
	}
	var claims []ComplaintLine
	if err := json.Unmarshal(r.Claims, &claims); err != nil {
		return fmt.Errorf("complaints of %s: %w", r.Code, err)
	}
	for _, c := range claims {
		s.Complaints = append(s.Complaints, SupplierComplaint{ComplaintLine: c, Row: r})
	}
	if r.ReworkMinutes > 0 {
		s.Reworked = append(s.Reworked, r)
		s.ReworkMin += r.ReworkMinutes
		s.ReworkCents += r.ReworkCents
	}
	if r.Part {
		return nil
	}
	s.Lots++
	if r.CoreC != nil && !r.Frozen {
		s.Cores = append(s.Cores, *r.CoreC)
		if *r.CoreC > a.Profile().ReceiveLimit(r.Species) {
			s.TooWarm++
		}
	}
	if r.GapDays == nil {
		return nil
	}
	i := slices.IndexFunc(s.Species, func(x SupplierSpecies) bool { return x.ID == r.Species.ID })
	if i < 0 {
		i = len(s.Species)
		s.Species = append(s.Species, SupplierSpecies{Species: r.Species})
	}
	s.Species[i].Rows = append(s.Species[i].Rows, r)
	return nil
}

// sum takes the means.
func (s *SupplierSummary) sum() {
	for i := range s.Species {
		var gaps []float64
		for _, r := range s.Species[i].Rows {
			gaps = append(gaps, *r.GapDays)
		}
		s.Species[i].Consistency = freshness.ConsistencyOf(gaps)
	}
	slices.SortStableFunc(s.Species, func(a, b SupplierSpecies) int { return b.Lots - a.Lots })
	if n := len(s.Cores); n > 0 {
		for _, c := range s.Cores {
			s.MeanCore += c / float64(n)
		}
		s.WarmCore = slices.Max(s.Cores)
	}
}
