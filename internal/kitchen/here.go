package kitchen

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/photo"
)

// HereLine is fish that was here before the kitchen began to write.
type HereLine struct {
	SpeciesID string
	Form      string
	Frozen    bool
	Count     int
	WeightKg  float64
	CameAt    time.Time    // when it came into the kitchen
	Label     *photo.Photo // of its label; nil for none
}

// WhatIsHere is what lies in a place as a kitchen begins, with one statement for all of it.
type WhatIsHere struct {
	ID          uuid.UUID // from the client: sent twice, it is one
	PlaceID     int64
	Supplier    string         // "" for not known
	Explanation string         // how it was kept until now, and how that is known
	WarmestC    *float64       // that it may have been
	Unlisted    []string       // as of a Delivery
	Unread      invalid.Errors // what could not be read of it: with any of it nothing is stored
	Lines       []HereLine
}

// unknownSupplier stands for whoever delivered what was here at the start.
const unknownSupplier = "Not known: here at the start"

// StartWithWhatIsHere writes down what lies in a place as a kitchen begins: lots with the day on which
// they came, and for the hours that nobody recorded a manager's explanation. By that they may be cooked at
// best: nothing opens raw service to fish whose record is missing. Errors of line n (from 0) are fields
// "lines[n].…"; others are on place_id, account and warmest_celsius.
func (k *Kitchen) StartWithWhatIsHere(ctx context.Context, in WhatIsHere) error {
	a, now := ActorFrom(ctx), k.Now()
	if err := a.need(access.Write); err != nil {
		return err
	}
	if in.Supplier = strings.TrimSpace(in.Supplier); in.Supplier == "" {
		in.Supplier = unknownSupplier
	}
	bad := slices.Clone(in.Unread)
	if in.ID == uuid.Nil {
		bad.Add("id", "is missing")
	}
	if len(in.Lines) == 0 {
		bad.Add("lines", "add at least one line")
	}
	explained := lot.GapExplained{Until: now, Explanation: in.Explanation, WarmestC: in.WarmestC}
	w, err := k.newEnvironment(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return err
	}
	w.Catalogue = a.Site.withUnlisted(in.Unlisted)
	deliveries, at := in.deliveries(now)
	for i, l := range in.Lines {
		prefix := fmt.Sprintf("lines[%d].", i)
		if l.CameAt.IsZero() {
			if bad.On(prefix+"came") == "" {
				bad.Add(prefix+"came", "give the day on which it came")
			}
			continue
		}
		d := deliveries[at[i].delivery]
		_, err := lot.Admit(nil, w.Facts(), lot.Event{ID: d.ID, HappenedAt: d.ArrivedAt}, d.Lines[at[i].line])
		var fields invalid.Errors
		if errors.As(err, &fields) {
			for _, f := range fields.Under(prefix) {
				f.Field = strings.Replace(f.Field, prefix+"happened_at", prefix+"came", 1)
				if f.Field == prefix+"place_id" {
					f.Field = "place_id"
				}
				if bad.On(f.Field) == "" {
					bad = append(bad, f)
				}
			}
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.change(ctx, func(c *change) error {
		for i, d := range deliveries {
			lots, err := c.receive(ctx, d)
			if err != nil {
				return err
			}
			for n, l := range lots {
				if err := c.append(ctx, l, Write{EventID: NewID(), HappenedAt: now, Payload: explained}); err != nil {
					return err
				}
				if err := c.label(ctx, l, in.labels(at, i)[n], now); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// lineAt is where a line went: into which delivery, as which of its lines.
type lineAt struct{ delivery, line int }

// deliveries gathers the lines by when they came.
func (in WhatIsHere) deliveries(now time.Time) (list []Delivery, at []lineAt) {
	for _, l := range in.Lines {
		came := l.CameAt
		i := slices.IndexFunc(list, func(d Delivery) bool { return d.ArrivedAt.Equal(came) })
		if i < 0 {
			i = len(list)
			list = append(list, Delivery{ID: uuid.NewSHA1(in.ID, fmt.Appendf(nil, "came %d", came.Unix())), Supplier: in.Supplier, ArrivedAt: came,
				Unlisted: in.Unlisted})
		}
		at = append(at, lineAt{i, len(list[i].Lines)})
		list[i].Lines = append(list[i].Lines, lot.Received{SpeciesID: l.SpeciesID, Form: l.Form, Frozen: l.Frozen, Count: max(1, l.Count),
			WeightKg: l.WeightKg, Ice: "none", PlaceID: in.PlaceID, LabelDate: lot.LabelDate{At: &came, Means: freshness.Arrived}, Here: true})
	}
	return list, at
}

// labels are the photos of the lines of a delivery.
func (in WhatIsHere) labels(at []lineAt, delivery int) []*photo.Photo {
	var list []*photo.Photo
	for i, l := range in.Lines {
		if at[i].delivery == delivery {
			list = append(list, l.Label)
		}
	}
	return list
}

// label keeps the photo of a lot's label; nil for none.
func (c *change) label(ctx context.Context, l *changedLot, p *photo.Photo, at time.Time) error {
	if p == nil {
		return nil
	}
	id, err := c.k.putPhoto(ctx, c.Tx, *p)
	if err != nil {
		return err
	}
	return c.append(ctx, l, Write{EventID: NewID(), HappenedAt: at,
		Payload: lot.Photographed{PhotoID: id, SHA256: hex.EncodeToString(p.SHA256[:]), Caption: "Label"}})
}
