package kitchen

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// ShareSpare notes what the kitchens of one owner could spare each other.
func (k *Kitchen) ShareSpare(ctx context.Context) error {
	ctx = store.Everywhere(ctx)
	err := k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.PutNeighbours(ctx); err != nil {
			return err
		}
		_, err := tx.PutSpare(ctx)
		return err
	})
	if err != nil {
		return fmt.Errorf("what kitchens can spare: %w", err)
	}
	return nil
}

// Between does what goes between the kitchens of one owner, outside the fence: what one asks for is told the other, and fish that one sent
// becomes a lot of the other. No request does so. Any number of processes may do it at once; what fails holds up nothing else.
func (k *Kitchen) Between(ctx context.Context) error {
	ctx = store.Everywhere(ctx)
	list, err := k.DB.Untold(ctx)
	if err != nil {
		return fmt.Errorf("what to tell another kitchen: %w", err)
	}
	var failed []error
	for _, t := range list {
		err := k.DB.Write(ctx, func(tx *store.Tx) error {
			taken, err := tx.TakeTransfer(ctx, store.TakeTransferParams(t))
			if err != nil || len(taken) == 0 {
				return err
			}
			if err := k.tell(ctx, tx, taken[0]); err != nil {
				return err
			}
			for _, site := range []int64{t.SiteID, taken[0].OtherSite} {
				if err := tx.Changed(ctx, site); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			failed = append(failed, fmt.Errorf("telling another kitchen of %s: %w", t.ID, err))
		}
	}
	return errors.Join(failed...)
}

// tell tells the other kitchen of a transfer. What cannot be is noted with it, and not tried again.
func (k *Kitchen) tell(ctx context.Context, tx *store.Tx, t store.Transfer) error {
	now := k.Now()
	switch t.Side {
	case "asks":
		own, err := tx.SiteByID(ctx, t.SiteID)
		if err != nil {
			return err
		}
		if _, err := tx.AddTransfer(ctx, store.AddTransferParams{SiteID: t.OtherSite, ID: t.ID, Side: "asked", OtherSite: t.SiteID,
			OtherName: own.Name,
			LotID:     t.OtherLot, Code: t.Code, Species: t.Species, Form: t.Form, Count: t.Count, Kg: t.Kg, Plates: t.Plates, ServeAt: t.ServeAt,
			At: t.At, Person: t.Person}); err != nil {
			return fmt.Errorf("asking: %w", err)
		}
	case "asked": // and declined
		if err := tx.TransferFailed(ctx, store.TransferFailedParams{SiteID: t.OtherSite, ID: t.ID, Side: "asks", Failed: t.Failed, DoneAt: &now,
			DeliveredAt: &now}); err != nil {
			return err
		}
	case "sends":
		other, err := k.open(ctx, tx, t)
		var wrong invalid.Errors
		if errors.As(err, &wrong) {
			k.Log.Error("a lot that was sent to another kitchen", "transfer", t.ID, "error", err)
			return tx.TransferFailed(ctx, store.TransferFailedParams{SiteID: t.SiteID, ID: t.ID, Side: t.Side, Failed: wrong.Error(), DoneAt: &now})
		}
		if err != nil {
			return err
		}
		t.OtherLot = &other
	case "recalls":
		if err := k.recallThere(ctx, tx, t); err != nil {
			return err
		}
	}
	return tx.TransferDelivered(ctx, store.TransferDeliveredParams{SiteID: t.SiteID, ID: t.ID, Side: t.Side, DeliveredAt: &now,
		OtherLot: t.OtherLot})
}

// open makes a lot of the other kitchen of what was sent, with its record, its papers and what was measured of it, and returns its id.
func (k *Kitchen) open(ctx context.Context, tx *store.Tx, t store.Transfer) (uuid.UUID, error) {
	from, err := tx.SiteByID(ctx, t.SiteID)
	if err != nil {
		return uuid.Nil, err
	}
	before, sent, e, err := k.asSent(ctx, tx, Site(from), t)
	if err != nil {
		return uuid.Nil, err
	}
	to, owner, err := k.ownerAt(ctx, tx, t.OtherSite)
	if err != nil {
		return uuid.Nil, err
	}
	c := &change{Tx: tx, k: k, a: Actor{Site: to, Person: owner}}
	m := carrier{change: c, from: Site(from), until: e.HappenedAt, places: map[int64]int64{}, probes: map[int64]int64{}}
	if err := m.whereabouts(ctx, before); err != nil {
		return uuid.Nil, err
	}
	way, err := m.way(ctx, t, sent.Way)
	if err != nil {
		return uuid.Nil, err
	}
	supplier, err := m.papers(ctx, before)
	if err != nil {
		return uuid.Nil, err
	}
	id, code, err := c.newNumber(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	first, err := lot.Inherit(before, e.Hash, sent.Part(before, id, code), nil).Elsewhere(m.place, m.probe)
	if err != nil {
		return uuid.Nil, err
	}
	first.CostCents = before.CostCents * first.Received.WeightKg / before.WeightKg
	first.Received.SupplierID = supplier
	if first.Received.DeliveryID, err = m.docket(ctx, t); err != nil {
		return uuid.Nil, err
	}
	l, err := c.add(ctx, id, code, first.Received.DeliveryID)
	if err != nil {
		return uuid.Nil, err
	}
	if err := c.append(ctx, l, Write{EventID: uuid.NewSHA1(t.ID, []byte("arrived")), HappenedAt: e.HappenedAt,
		Payload: lot.Arrived{TransferID: t.ID, From: from.Name, SentAt: e.HappenedAt, Way: sent.Way, PlaceID: way, Lot: first}}); err != nil {
		return uuid.Nil, err
	}
	if err := c.project(ctx); err != nil {
		return uuid.Nil, err
	}
	return id, m.answer(ctx, t, id, code)
}

// recallThere holds what became of fish in the kitchen that it was sent to, and lists it there.
func (k *Kitchen) recallThere(ctx context.Context, tx *store.Tx, t store.Transfer) error {
	there, own, err := k.ownerAt(ctx, tx, t.OtherSite)
	if err != nil {
		return err
	}
	from, err := tx.SiteByID(ctx, t.SiteID)
	if err != nil {
		return err
	}
	lots, err := tx.LotsAfter(ctx, store.LotsAfterParams{SiteID: there.ID, Lots: []uuid.UUID{*t.OtherLot}})
	if err != nil {
		return fmt.Errorf("what lot %s became: %w", t.OtherLot, err)
	}
	c := &change{Tx: tx, k: k, a: Actor{Site: there, Person: own}}
	if _, err := c.holdAll(ctx, t.ID, lots, "recalled by "+from.Name+": "+t.Note); err != nil {
		return fmt.Errorf("holding what became of lot %s: %w", t.OtherLot, err)
	}
	if _, err := tx.AddTransfer(ctx, store.AddTransferParams{SiteID: there.ID, ID: t.ID, Side: "recalled", OtherSite: t.SiteID, OtherName: from.Name,
		LotID: t.OtherLot, OtherLot: t.LotID, Code: t.Code, Species: t.Species, Form: t.Form, Count: t.Count, Kg: t.Kg, At: t.At, Person: t.Person,
		Note: t.Note}); err != nil {
		return fmt.Errorf("telling of the recall: %w", err)
	}
	if err := c.recallElsewhere(ctx, t.ID, lots, t.Note); err != nil { // it was sent on
		return err
	}
	return c.project(ctx)
}

// ownerAt is a kitchen, and who stands for what background work does there.
func (k *Kitchen) ownerAt(ctx context.Context, tx *store.Tx, site int64) (Site, Person, error) {
	there, err := tx.SiteByID(ctx, site)
	if err != nil {
		return Site{}, Person{}, err
	}
	person, err := tx.OwnerOf(ctx, site)
	if err != nil {
		return Site{}, Person{}, fmt.Errorf("who stands for %s: %w", there.Name, err)
	}
	return Site(there), Person(person), nil
}

// asSent is a lot as it was when some of it was sent, and the event of that.
func (k *Kitchen) asSent(ctx context.Context, tx *store.Tx, from Site, t store.Transfer) (*lot.State, lot.Sent, lot.Event, error) {
	events, err := k.events(ctx, tx.Queries, from.ID, *t.LotID)
	if err != nil {
		return nil, lot.Sent{}, lot.Event{}, err
	}
	list := events[*t.LotID]
	for i, e := range list {
		if e.ID != *t.EventID {
			continue
		}
		p, err := lot.Decode(e.Kind, e.Data)
		if err != nil {
			return nil, lot.Sent{}, e, err
		}
		before, err := lot.Fold(from.Catalogue(), list[:i])
		return before, p.(lot.Sent), e, err
	}
	return nil, lot.Sent{}, lot.Event{}, fmt.Errorf("lot %s was not sent: %w", t.LotID, ErrNotFound)
}

// carrier takes the record of a lot along to another kitchen: what it rests on is copied there.
type carrier struct {
	*change
	from   Site
	until  time.Time
	places map[int64]int64 // of the other kitchen, by those of this one
	probes map[int64]int64
}

func (m *carrier) place(id int64) int64 { return m.places[id] }
func (m *carrier) probe(id int64) int64 { return m.probes[id] }

// around is how much more than a stay is copied of what was measured, on either side: what bridges it.
const around = 4 * time.Hour

// whereabouts copies the places where a lot lay and the probes that measured it, with what they measured meanwhile.
func (m *carrier) whereabouts(ctx context.Context, s *lot.State) error {
	places, probes := s.Whereabouts()
	var ids []int64
	for id, span := range places {
		if id == 0 {
			continue
		}
		copied, err := m.copyPlace(ctx, id)
		if err != nil {
			return fmt.Errorf("copying place %d: %w", id, err)
		}
		m.places[id] = copied
		ids = append(ids, id)
		if err := m.CopyIce(ctx, store.CopyIceParams{ToSite: m.a.Site.ID, ToPlace: copied, PersonID: m.a.Person.ID, FromSite: m.from.ID,
			FromPlace: id, FromAt: span.From.Add(-iceKept), ToAt: earlier(span.To, m.until)}); err != nil {
			return fmt.Errorf("copying the ice of place %d: %w", id, err)
		}
	}
	for id, span := range probes {
		if err := m.copyProbe(ctx, id, span); err != nil {
			return fmt.Errorf("copying probe %d: %w", id, err)
		}
	}
	for _, id := range ids {
		span := places[id]
		span.From, span.To = span.From.Add(-around), earlier(span.To, m.until)
		stays, err := m.StaysWithin(ctx, store.StaysWithinParams{SiteID: m.from.ID, Places: []int64{id}, FromAt: span.From, ToAt: span.To})
		if err != nil {
			return fmt.Errorf("loading what measured place %d: %w", id, err)
		}
		for _, stay := range stays {
			part := coldchain.Span{From: stay.FromAt, To: stay.ToAt}.Clip(span)
			if part.Len() <= 0 {
				continue
			}
			if err := m.copyProbe(ctx, stay.ProbeID, part); err != nil {
				return fmt.Errorf("copying probe %d: %w", stay.ProbeID, err)
			}
			if err := m.AddStayWithin(ctx, store.AddStayWithinParams{SiteID: m.a.Site.ID, ProbeID: m.probes[stay.ProbeID], PlaceID: m.places[id],
				FromAt: part.From, ToAt: part.To}); err != nil {
				return fmt.Errorf("copying where probe %d lay: %w", stay.ProbeID, err)
			}
		}
	}
	return nil
}

func (m *carrier) copyPlace(ctx context.Context, id int64) (int64, error) {
	copied, err := m.PlaceCopy(ctx, store.PlaceCopyParams{SiteID: m.a.Site.ID, FromSite: m.from.ID, FromPlace: id})
	if !errors.Is(err, store.ErrNotFound) {
		return copied, err
	}
	l, err := m.k.layoutOf(ctx, m.Queries, m.from)
	if err != nil {
		return 0, err
	}
	copied, err = m.CopyPlace(ctx, store.CopyPlaceParams{ToSite: m.a.Site.ID, FromSite: m.from.ID, PlaceID: id,
		Name: fmt.Sprintf("%s, %s (%d)", l.places[id].Name, m.from.Name, id)})
	if err != nil {
		return 0, err
	}
	return copied, m.AddPlaceCopy(ctx, store.AddPlaceCopyParams{SiteID: m.a.Site.ID, FromSite: m.from.ID, FromPlace: id, PlaceID: copied})
}

// copyProbe copies a probe with its checks, and what it measured in a span.
func (m *carrier) copyProbe(ctx context.Context, id int64, span coldchain.Span) error {
	was, err := m.Probe(ctx, store.ProbeParams{SiteID: m.from.ID, ID: id})
	if err != nil {
		return err
	}
	copied, err := m.ProbeCopy(ctx, store.ProbeCopyParams{SiteID: m.a.Site.ID, FromSite: m.from.ID, FromProbe: id})
	if errors.Is(err, store.ErrNotFound) {
		row, err := m.CopyProbe(ctx, store.CopyProbeParams{SiteID: m.a.Site.ID, Name: fmt.Sprintf("%s, %s (%d)", was.Name, m.from.Name, id),
			Kind: was.Kind, IntervalS: was.IntervalS})
		if err != nil {
			return err
		}
		copied = row.ID
		if err := m.AddProbeCopy(ctx, store.AddProbeCopyParams{SiteID: m.a.Site.ID, FromSite: m.from.ID, FromProbe: id,
			ProbeID: copied}); err != nil {
			return err
		}
	} else if err != nil {
		return err
	}
	m.probes[id] = copied
	checks, err := m.ChecksOfProbe(ctx, store.ChecksOfProbeParams{SiteID: m.from.ID, ProbeID: id})
	if err != nil {
		return err
	}
	for _, x := range checks {
		if err := m.AddProbeCheck(ctx, store.AddProbeCheckParams{SiteID: m.a.Site.ID, ID: uuid.NewSHA1(x.ID, []byte(m.a.Site.Slug)),
			ProbeID: copied, At: x.At,
			PersonID: m.a.Person.ID, Method: x.Method, ReadC: x.ReadC, TrueC: x.TrueC, AltitudeM: x.AltitudeM, OffsetC: x.OffsetC, Passed: x.Passed,
			Note: x.Note}); err != nil {
			return err
		}
	}
	rows, err := m.ReadingsCopied(ctx, store.ReadingsCopiedParams{SiteID: m.from.ID, ProbeID: id, FromAt: span.From.Add(-around),
		ToAt: earlier(span.To, m.until)})
	if err != nil || len(rows) == 0 {
		return err
	}
	readings := make([]coldchain.Reading, len(rows))
	for i, r := range rows {
		readings[i] = coldchain.Reading(r)
	}
	probe, err := m.LockProbe(ctx, store.LockProbeParams{SiteID: m.a.Site.ID, ID: copied})
	if err != nil {
		return err
	}
	_, err = m.PutReadings(ctx, store.Probe{SiteID: probe.SiteID, ID: probe.ID, Name: probe.Name, IntervalS: probe.IntervalS,
		Kind: probe.Kind},
		store.BatchOf(readings))
	return err
}

// How warm it is on the way where nothing says: a room (safety counts five kelvin more than it is set to).
const wayC = 17.0

// way makes the place that stands for the way of one transfer: with ice that was seen as it was sent, where it lay in ice.
func (m *carrier) way(ctx context.Context, t store.Transfer, w lot.Way) (int64, error) {
	kind, c := "deck", wayC
	if w == lot.WayIced {
		kind, c = "tote", 0
	}
	id, err := m.AddWay(ctx, store.AddWayParams{SiteID: m.a.Site.ID, Name: fmt.Sprintf("On the way from %s, %s", m.from.Name,
		t.ID.String()[24:]), Kind: kind, SetC: c})
	if err != nil {
		return 0, fmt.Errorf("the way: %w", err)
	}
	if err := m.AddPlaceCopy(ctx, store.AddPlaceCopyParams{SiteID: m.a.Site.ID, FromSite: m.from.ID, Way: t.ID.String(),
		PlaceID: id}); err != nil {
		return 0, fmt.Errorf("the way: %w", err)
	}
	if w != lot.WayIced {
		return id, nil
	}
	return id, m.AddIce(ctx, store.AddIceParams{SiteID: m.a.Site.ID, ID: uuid.NewSHA1(t.ID, []byte("ice")), PlaceID: id, At: m.until,
		RecordedAt: m.k.Now(), PersonID: m.a.Person.ID, Kind: string(icing.Seen)})
}

// papers copies the supplier of a lot with what is known of it and the declarations that cover the lot; it returns the supplier there.
func (m *carrier) papers(ctx context.Context, s *lot.State) (int64, error) {
	was, err := m.Supplier(ctx, store.SupplierParams{SiteID: m.from.ID, ID: s.Received.SupplierID})
	if err != nil {
		return 0, fmt.Errorf("the supplier: %w", err)
	}
	now, err := m.AddSupplier(ctx, store.AddSupplierParams{SiteID: m.a.Site.ID, Name: was.Name})
	if err != nil {
		return 0, fmt.Errorf("copying the supplier: %w", err)
	}
	if now.Kind == Boat && now.Approval == "" && was.Kind == Dealer {
		if _, err := m.SetSupplierKind(ctx, store.SetSupplierKindParams{SiteID: m.a.Site.ID, ID: now.ID, Kind: was.Kind, Approval: was.Approval,
			ApprovedTo: was.ApprovedTo}); err != nil {
			return 0, fmt.Errorf("copying the supplier: %w", err)
		}
	}
	letters, err := m.LettersOf(ctx, store.LettersOfParams{SiteID: m.from.ID, SupplierID: was.ID, Species: s.Received.SpeciesID})
	if err != nil {
		return 0, fmt.Errorf("loading declarations: %w", err)
	}
	for _, l := range letters {
		if _, err := m.AddLetter(ctx, store.AddLetterParams{SiteID: m.a.Site.ID, ID: uuid.NewSHA1(l.ID, []byte(m.a.Site.Slug)),
			SupplierID: now.ID, Species: l.Species,
			Kind: l.Kind, Reference: l.Reference, IssuedOn: l.IssuedOn, ValidTo: l.ValidTo, At: m.k.Now(), PersonID: m.a.Person.ID,
			SupplierLot: l.SupplierLot, RouteC: l.RouteC, RouteHours: l.RouteHours}); err != nil {
			return 0, fmt.Errorf("copying a declaration: %w", err)
		}
	}
	return now.ID, nil
}

// docket is the delivery note of what was sent, from the kitchen that sent it.
func (m *carrier) docket(ctx context.Context, t store.Transfer) (uuid.UUID, error) {
	supplier, err := m.AddSupplier(ctx, store.AddSupplierParams{SiteID: m.a.Site.ID, Name: m.from.Name + " (our kitchen)"})
	if err != nil {
		return uuid.Nil, fmt.Errorf("the delivery note: %w", err)
	}
	id := uuid.NewSHA1(t.ID, []byte("delivery"))
	err = m.AddDocket(ctx, store.AddDocketParams{SiteID: m.a.Site.ID, ID: id, SupplierID: supplier.ID, Reference: t.Code, ArrivedAt: m.until,
		RecordedAt: m.k.Now(), PersonID: m.a.Person.ID})
	if err != nil {
		return uuid.Nil, fmt.Errorf("the delivery note: %w", err)
	}
	return id, nil
}

// answer notes in the other kitchen that fish is on its way there, in place of what it asked for.
func (m *carrier) answer(ctx context.Context, t store.Transfer, id uuid.UUID, code string) error {
	row := store.AddTransferParams{SiteID: m.a.Site.ID, ID: t.ID, Side: "receives", OtherSite: t.SiteID, OtherName: m.from.Name, LotID: &id,
		OtherLot: t.LotID, Code: code, Species: t.Species, Form: t.Form, Count: t.Count, Kg: t.Kg, At: t.At, Person: t.Person}
	now := m.k.Now()
	row.DeliveredAt = &now
	asked, err := m.Transfer(ctx, store.TransferParams{SiteID: m.a.Site.ID, ID: t.ID, Side: "asks"})
	if err == nil {
		row.Plates, row.ServiceID, row.DishID, row.ServeAt = asked.Plates, asked.ServiceID, asked.DishID, asked.ServeAt
		if _, err := m.TransferDone(ctx, store.TransferDoneParams{SiteID: m.a.Site.ID, ID: t.ID, Side: "asks", DoneAt: &now}); err != nil {
			return fmt.Errorf("answering what was asked for: %w", err)
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("looking for what was asked for: %w", err)
	}
	if _, err := m.AddTransfer(ctx, row); err != nil {
		return fmt.Errorf("noting what comes: %w", err)
	}
	return nil
}
