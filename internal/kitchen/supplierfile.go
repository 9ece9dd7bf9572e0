package kitchen

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
)

// SupplierMonth is what a supplier brought in a month.
type SupplierMonth struct {
	Month            time.Time // its first day, on the kitchen's clock
	Deliveries, Lots int
	Kg, Cents        float64 // Cents of what has a price
	Unpriced         bool    // some of it has none
	Refused, TooWarm int     // lots
	notes            []uuid.UUID
}

// fileMonths is how many months of deliveries a supplier's file adds up.
const fileMonths = 12

// file adds up what a supplier brought month by month, the last first, and what became of its complaints.
func (k *Kitchen) file(ctx context.Context, s *SupplierSummary, rows []Row) error {
	a := ActorFrom(ctx)
	since := k.Now().AddDate(0, -fileMonths, 0)
	complained := func(id uuid.UUID) bool {
		return slices.ContainsFunc(s.Complaints, func(c SupplierComplaint) bool { return c.LotID == id })
	}
	var ids []uuid.UUID
	notes := map[uuid.UUID]uuid.UUID{}
	for _, r := range rows {
		if notes[r.LotID] = r.DocketID; !r.Part && r.ReceivedAt.After(since) || complained(r.LotID) {
			ids = append(ids, r.LotID)
		}
	}
	for page := range slices.Chunk(ids, recordPage) {
		states, err := k.states(ctx, k.DB.Queries, a.Site, page...)
		if err != nil {
			return err
		}
		for _, x := range states {
			if x.ReceivedAt.After(since) && x.Parent == uuid.Nil {
				s.addMonth(a, x, notes[x.ID])
			}
			for i, c := range s.Complaints {
				if c.LotID == x.ID {
					s.Complaints[i].Answer, s.Complaints[i].CreditCents = answerTo(x, c.EventID)
				}
			}
		}
	}
	slices.SortFunc(s.Months, func(a, b SupplierMonth) int { return b.Month.Compare(a.Month) })
	return nil
}

func (s *SupplierSummary) addMonth(a Actor, x *lot.State, note uuid.UUID) {
	at := x.ReceivedAt.In(a.Zone())
	month := time.Date(at.Year(), at.Month(), 1, 0, 0, 0, 0, a.Zone())
	i := slices.IndexFunc(s.Months, func(m SupplierMonth) bool { return m.Month.Equal(month) })
	if i < 0 {
		i = len(s.Months)
		s.Months = append(s.Months, SupplierMonth{Month: month})
	}
	m := &s.Months[i]
	m.Lots++
	if !slices.Contains(m.notes, note) {
		m.Deliveries, m.notes = m.Deliveries+1, append(m.notes, note)
	}
	cents := x.Received.DeliveredCents()
	m.Kg, m.Cents, m.Unpriced = m.Kg+x.Received.WeightKg, m.Cents+cents, m.Unpriced || cents == 0
	if x.Status == lot.WasRefused {
		m.Refused++
	}
	if core := x.Received.CoreC; core != nil && !x.Received.Frozen && *core > a.Profile().ReceiveLimit(x.Species()) {
		m.TooWarm++
	}
}

// answerTo is what the supplier answered to a complaint, in words, and what it gave back; "" where it has not yet.
func answerTo(x *lot.State, complaint uuid.UUID) (answer string, credit int64) {
	for _, c := range x.Complaints {
		if c.EventID != complaint || c.Answer == nil {
			continue
		}
		for _, choice := range lot.ComplaintAnswers {
			if choice.ID == c.Answer.Data.Answer {
				return choice.Name, c.Answer.Data.CreditCents
			}
		}
	}
	return "", 0
}

// papers are a supplier's declarations that stand, those that run out first on top.
func (k *Kitchen) papers(ctx context.Context, supplier int64) ([]DeclarationEntry, error) {
	entries, err := k.Declarations(ctx)
	if err != nil {
		return nil, err
	}
	entries = slices.DeleteFunc(entries, func(e DeclarationEntry) bool { return e.SupplierID != supplier || e.StruckAt != nil })
	slices.SortFunc(entries, func(a, b DeclarationEntry) int { return a.ValidTo.Compare(b.ValidTo) })
	return entries, nil
}
