package demo

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// central plays that Harbour cuts for Mill: four haddock are filleted there, one box of the fillets came to Mill in ice this morning, and
// another is on its way.
func central(ctx context.Context, harbour, mill builder) error {
	now := harbour.start
	at := func(minutes int) time.Time {
		t := now.Add(-time.Duration(minutes) * time.Minute)
		harbour.k.Now = func() time.Time { return t }
		return t
	}
	there, here := harbour.as(ctx, "Dunja"), mill.as(ctx, "Gudmund")
	id, event := harbour.lots["126-1"], kitchen.NewID()
	cut := lot.Cut{Count: 4, WeightKg: 5.92, CutterID: harbour.people["Dunja"].ID, Minutes: 14, Parts: []lot.CutPart{
		{Form: "fillet_skin_on", Count: 8, WeightKg: 2.75, To: cutting.ToService, PlaceID: harbour.places["Fish drawer"], Boneless: true},
		{Form: "frame", Count: 4, WeightKg: 2.02, To: cutting.ToStock},
		{Form: cutting.Waste, WeightKg: 1.06, To: cutting.ToBin}}}
	err := harbour.k.Append(there, kitchen.Write{EventID: event, LotID: id, HappenedAt: at(4 * 60), Payload: cut})
	if err != nil {
		return fmt.Errorf("cutting: %w", err)
	}
	card, err := harbour.k.Card(there, id)
	if err != nil {
		return err
	}
	made, _ := card.State.CutBy(event)
	send := func(minutes, count int) (uuid.UUID, error) {
		in := kitchen.Sending{EventID: kitchen.NewID(), LotID: made.Parts[0].LotID, HappenedAt: at(minutes), To: mill.site.ID,
			Sent: lot.Sent{Way: lot.WayIced, Count: count}}
		err := harbour.k.ShareSpare(ctx) // who is near is noted by the same work
		if err == nil {
			err = harbour.k.Send(there, in)
		}
		if err == nil {
			err = harbour.k.Between(ctx)
		}
		if err != nil {
			return uuid.Nil, fmt.Errorf("sending: %w", err)
		}
		list, err := harbour.k.Transfers(here)
		if err != nil {
			return uuid.Nil, err
		}
		for _, t := range list {
			if t.Open() && t.LotID != nil {
				return *t.LotID, nil
			}
		}
		return uuid.Nil, fmt.Errorf("nothing came of %d fillets", count)
	}
	first, err := send(3*60, 5)
	if err != nil {
		return err
	}
	err = harbour.k.ReceiveSent(here, kitchen.Arrival{EventID: kitchen.NewID(), LotID: first, At: at(2*60 + 25), CoreC: 0.8, Ice: true,
		PlaceID: mill.places["Fish drawer"]})
	if err != nil {
		return fmt.Errorf("receiving: %w", err)
	}
	_, err = send(25, 3)
	at(0)
	return err
}
