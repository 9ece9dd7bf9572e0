package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/planning"
	"leancatch/internal/store"
)

// Spare is fish that another kitchen of the same owner could spare for a dish, as it was some minutes ago.
type Spare struct {
	store.SparesRow
	Species string
	Plates  int
	Fish    int // pieces of it
	Kg      float64
	Cents   float64
}

// spareFor are the spare lots of other kitchens for what a dish lacks, those that end first on top.
func (k *Kitchen) spareFor(ctx context.Context, s Service, d PlannedDish) ([]Spare, error) {
	a := ActorFrom(ctx)
	rows, err := k.DB.Spares(ctx, a.Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading what other kitchens can spare: %w", err)
	}
	type candidate struct {
		store.SparesRow
		offer planning.Offer
		ends  time.Time
		name  string
	}
	var list []candidate
	for _, r := range rows {
		var outlook []assess.Spell
		if err := json.Unmarshal(r.Outlook, &outlook); err != nil {
			return nil, fmt.Errorf("outlook of %s: %w", r.Code, err)
		}
		sp, _ := a.Site.Catalogue().Get(r.Species)
		offer, ok := d.From(planning.Fish{Species: sp, Form: r.Form, Count: int(r.Count), Kg: r.Kg})
		served := assess.SpellAt(outlook, s.At).Serving
		if !ok || served == assess.ServeNone || d.Raw && served != assess.ServeRaw || len(outlook) == 0 || d.Aged {
			continue
		}
		list = append(list, candidate{r, offer, outlook[len(outlook)-1].From, sp.Name})
	}
	slices.SortStableFunc(list, func(x, y candidate) int { return cmp.Or(x.ends.Compare(y.ends), cmp.Compare(x.Code, y.Code)) })
	lacks := d.Missing()
	var spare []Spare
	for _, x := range list {
		plates := min(lacks, x.offer.Plates())
		if plates <= 0 {
			continue
		}
		each := float64(x.offer.Units) / float64(x.Count) / float64(x.offer.Plate) // plates a fish
		fish := min(int(x.Count), planning.RoundedUp(float64(plates)/each))
		share := float64(fish) / float64(x.Count)
		spare = append(spare, Spare{SparesRow: x.SparesRow, Species: x.name, Plates: plates, Fish: fish, Kg: share * x.SparesRow.Kg,
			Cents: share * x.SparesRow.Cents})
		lacks -= plates
	}
	return spare, nil
}

// askFor asks other kitchens for what they can spare.
func (k *Kitchen) askFor(ctx context.Context, tx *store.Tx, a Actor, id uuid.UUID, s Service, d PlannedDish, spare []Spare) error {
	for i, x := range spare {
		row := store.AddTransferParams{SiteID: a.Site.ID, ID: uuid.NewSHA1(id, []byte{byte(i)}), Side: "asks", OtherSite: x.FromSite,
			OtherName: x.FromName,
			OtherLot:  &x.LotID, Code: x.Code, Species: x.SparesRow.Species, Form: x.Form, Count: int64(x.Fish), Kg: x.Kg, Plates: int64(x.Plates),
			ServiceID: &s.ID, DishID: &d.ID, ServeAt: &s.At, At: k.Now(), Person: a.Person.Name}
		if _, err := tx.AddTransfer(ctx, row); err != nil {
			return fmt.Errorf("asking %s: %w", x.FromName, err)
		}
	}
	return tx.Between(ctx, a.Site.ID)
}

// Neighbour is another kitchen of the same owner.
type Neighbour struct {
	ID   int64
	Name string
}

// Neighbours are the other kitchens of the same owner.
func (k *Kitchen) Neighbours(ctx context.Context) ([]Neighbour, error) {
	rows, err := k.DB.Neighbours(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, func(r store.Neighbour) Neighbour { return Neighbour{r.OtherSite, r.Name} })
}

// Transfer is fish that goes from one kitchen to another, as this one sees it.
type Transfer struct {
	store.Transfer
	Species string // its name
}

// Open reports whether something is still to happen to it.
func (t Transfer) Open() bool { return t.DoneAt == nil && t.Failed == "" }

// transfersShown is how far back transfers are listed that are done.
const transfersShown = 3 * 24 * time.Hour

// Transfers lists what goes to other kitchens and comes from them, the last first.
func (k *Kitchen) Transfers(ctx context.Context) ([]Transfer, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.Transfers(ctx, store.TransfersParams{SiteID: site.ID, Since: k.Now().Add(-transfersShown)})
	return mapped(rows, err, func(r store.Transfer) Transfer {
		sp, _ := site.Catalogue().Get(r.Species)
		return Transfer{r, sp.Name}
	})
}

// Sending is fish that goes to another kitchen.
type Sending struct {
	EventID    uuid.UUID
	LotID      uuid.UUID
	Seen       int
	HappenedAt time.Time
	To         int64     // the kitchen
	AskID      uuid.UUID // that it answers; zero for none
	Sent       lot.Sent
}

// Send sends some of a lot, or all of it, to another kitchen of the same owner. Background work makes it a lot there. Errors are those of
// Append, and one on the field to.
func (k *Kitchen) Send(ctx context.Context, in Sending) error {
	near, err := k.Neighbours(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(near, func(n Neighbour) bool { return n.ID == in.To })
	if i < 0 {
		return invalid.Errors{{Field: "to", Message: "choose a kitchen"}}
	}
	return k.change(ctx, func(c *change) error {
		in.Sent.To, in.Sent.TransferID = near[i].Name, uuid.NewSHA1(in.EventID, []byte("transfer")) // sent twice, it counts once
		if in.AskID != uuid.Nil {
			in.Sent.TransferID = in.AskID
		}
		w := Write{EventID: in.EventID, LotID: in.LotID, Seen: in.Seen, HappenedAt: in.HappenedAt, Payload: in.Sent}
		l, err := c.openOne(ctx, w)
		if err != nil || l == nil {
			return err
		}
		part := in.Sent.Part(l.state, uuid.Nil, "")
		s := l.state
		if err := c.append(ctx, l, w); err != nil {
			return err
		}
		now := k.Now()
		row := store.AddTransferParams{SiteID: c.a.Site.ID, ID: in.Sent.TransferID, Side: "sends", OtherSite: in.To, OtherName: near[i].Name,
			LotID: &in.LotID,
			Code:  s.Received.Code, Species: s.Received.SpeciesID, Form: s.Form, Count: int64(part.Count), Kg: part.WeightKg, EventID: &in.EventID,
			At: in.HappenedAt, Person: c.a.Person.Name}
		if _, err := c.AddTransfer(ctx, row); err != nil {
			return fmt.Errorf("sending it: %w", err)
		}
		if in.AskID != uuid.Nil {
			if _, err := c.TransferDone(ctx, store.TransferDoneParams{SiteID: c.a.Site.ID, ID: in.AskID, Side: "asked", DoneAt: &now}); err != nil {
				return fmt.Errorf("answering what was asked for: %w", err)
			}
		}
		return c.Between(ctx, c.a.Site.ID)
	})
}

// Decline says no to another kitchen that asked for fish.
func (k *Kitchen) Decline(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		t, err := tx.Transfer(ctx, store.TransferParams{SiteID: a.Site.ID, ID: id, Side: "asked"})
		if err != nil {
			return err
		}
		if t.DoneAt != nil {
			return invalid.Errors{{Field: "transfer", Message: "was answered already"}}
		}
		err = tx.TransferFailed(ctx, store.TransferFailedParams{SiteID: a.Site.ID, ID: id, Side: "asked",
			Failed: "declined by " + a.Person.Name, DoneAt: &now})
		if err != nil {
			return fmt.Errorf("declining: %w", err)
		}
		if err := tx.Between(ctx, a.Site.ID); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// Arrival is fish that comes from another kitchen, received.
type Arrival struct {
	EventID uuid.UUID
	LotID   uuid.UUID
	At      time.Time
	CoreC   float64
	Ice     bool // it still lies in ice all around
	PlaceID int64
}

// ReceiveSent measures fish that another kitchen sent, and puts it into its place: until then it is fit for nothing. Errors are those of
// Append.
func (k *Kitchen) ReceiveSent(ctx context.Context, in Arrival) error {
	return k.change(ctx, func(c *change) error {
		moved := uuid.NewSHA1(in.EventID, []byte("move"))
		l, err := c.openOne(ctx, Write{EventID: in.EventID, LotID: in.LotID})
		if err != nil || l == nil {
			return err
		}
		if l.state.CameFrom == "" || l.state.MeasuredHere() {
			return invalid.Errors{{Field: "lot", Message: "was received already, or came from no other kitchen"}}
		}
		if in.Ice {
			if err := c.AddIce(ctx, store.AddIceParams{SiteID: c.a.Site.ID, ID: uuid.NewSHA1(in.EventID, []byte("ice")), PlaceID: l.state.Place(),
				At: in.At, RecordedAt: k.Now(), PersonID: c.a.Person.ID, Kind: string(icing.Seen)}); err != nil {
				return fmt.Errorf("noting the ice: %w", err)
			}
		}
		if err := c.append(ctx, l, Write{EventID: in.EventID, HappenedAt: in.At, Payload: lot.Temperature{Celsius: in.CoreC}},
			Write{EventID: moved, HappenedAt: in.At, Payload: lot.Moved{PlaceID: in.PlaceID}}); err != nil {
			return err
		}
		t, err := c.TransferOfLot(ctx, store.TransferOfLotParams{SiteID: c.a.Site.ID, LotID: &in.LotID})
		if err != nil {
			return fmt.Errorf("finding the transfer: %w", err)
		}
		now := k.Now()
		_, err = c.TransferDone(ctx, store.TransferDoneParams{SiteID: c.a.Site.ID, ID: t.ID, Side: "receives", DoneAt: &now})
		return err
	})
}

// transfersDue lists what other kitchens ask for.
func (k *Kitchen) transfersDue(ctx context.Context) (due []Due, err error) {
	list, err := k.Transfers(ctx)
	if err != nil {
		return nil, fmt.Errorf("loading what other kitchens ask for: %w", err)
	}
	zone := ActorFrom(ctx).Zone()
	for _, t := range list {
		if t.Side != "asked" || !t.Open() {
			continue
		}
		why := fmt.Sprintf("%s asks for %d × %s, %s", t.OtherName, t.Count, t.Species, t.Code)
		if t.ServeAt != nil {
			why += ", for " + t.ServeAt.In(zone).Format("Mon 15:04")
		}
		due = append(due, Due{Action: assess.Action{Do: "Send", Why: why, Due: t.At}, Name: "to " + t.OtherName, Code: t.Code,
			To: fmt.Sprintf("/lots/%s?do=sent&ask=%s", *t.LotID, t.ID)})
	}
	return due, nil
}
