package interchange

import (
	"context"
	"slices"
	"strings"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// Lists are the tables of what a kitchen has lists of besides its records, of a span as far as they are of days.
func Lists(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) []Table {
	return []Table{lotsSheet.of(ctx, k, span), suppliersTable(ctx, k), ordersTable(ctx, k, span), remarksTable(ctx, k, span),
		recallsTable(ctx, k, span)}
}

var lotsSheet = lotSheet{"lots", "Lots", columns("Lot", "Species*", "Scientific name*", "Form", "Status", "Received", "Supplier*", "Supplier's lot", "Received, kg",
	"On hand, kg", "Pieces", "On hold*", "Ended"),
	func(x told, _ coldchain.Span, add func(...any)) {
		var ended, kg, count any = nil, x.WeightKg, x.Count
		if x.Status != lot.OnHand {
			ended, kg, count = x.EndedAt, nil, nil
		}
		add(x.Received.Code, x.Species().Name, x.Species().Scientific, lot.FormName(x.State.Form), x.Status.Name(), x.ReceivedAt, x.Supplier,
			x.Received.SupplierLot,
			x.Received.WeightKg, kg, count, x.Hold, ended)
	}}

// suppliersTable is each supplier with what it brought, month by month.
func suppliersTable(ctx context.Context, k *kitchen.Kitchen) Table {
	t := Table{ID: "suppliers", Title: "Suppliers", Columns: columns("Supplier*", "Month", "Deliveries", "Lots", "Weight, kg", "Cost",
		"Refused", "Too warm")}
	t.Rows = func(yield func([]any, error) bool) {
		list, err := k.Suppliers(ctx)
		if err != nil {
			yield(nil, err)
			return
		}
		for _, s := range list {
			file, err := k.Supplier(ctx, s.ID)
			if err != nil {
				yield(nil, err)
				return
			}
			for _, m := range file.Months {
				if !yield([]any{s.Name, Day(m.Month), m.Deliveries, m.Lots, m.Kg, m.Cents / 100, m.Refused, m.TooWarm}, nil) {
					return
				}
			}
		}
	}
	return t
}

func ordersTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	c := kitchen.ActorFrom(ctx).Site.Catalogue()
	return Table{ID: "orders", Title: "Orders", Columns: columns("Ordered", "Supplier*", "To come", "By", "Species*", "Form", "Pieces",
		"Weight, kg", "Price", "Price for",
		"Note*", "Came"),
		Rows: lateRows(func() ([]kitchen.Order, error) { return k.Orders(ctx) }, func(o kitchen.Order) (rows [][]any) {
			if !span.Has(o.PlacedAt) {
				return nil
			}
			came := "no"
			switch {
			case o.CancelledAt != nil:
				came = "cancelled"
			case o.CameWith != nil:
				came = "yes"
			}
			for _, l := range o.Lines {
				sp, _ := c.Get(l.SpeciesID)
				rows = append(rows, []any{o.PlacedAt, o.Supplier, orNothing(o.DeliverAt), o.By, sp.Name, lot.FormName(l.Form), l.Count, l.WeightKg,
					float64(l.Price) / 100,
					strings.ReplaceAll(string(l.PriceFor), "_", " "), l.Note, came})
			}
			return rows
		})}
}

func remarksTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: "remarks", Title: "What guests said", Columns: columns("Served", "Lot", "Species*", "Supplier*", "Word",
		"In their words*", "Raw", "Most likely*", "Step",
		"Cutter", "Written by", "Cancelled"),
		Rows: lateRows(func() ([]kitchen.Remark, error) { return k.Remarks(ctx) }, func(r kitchen.Remark) [][]any {
			if !span.Has(r.ServedAt) {
				return nil
			}
			return [][]any{{r.ServedAt, r.Code, r.Species.Name, r.Supplier, r.Word.Name(), r.Note, r.Raw, r.Cause.Name, string(r.Cause.Step),
				r.Cutter, r.Person, orNothing(r.StruckAt)}}
		})}
}

// recallsTable is each recall and drill with the lots that it touched, as they are now.
func recallsTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	t := Table{ID: "recalls", Title: "Recalls", Columns: columns("Begun", "Drill", "Why*", "By", "Minutes", "Lot", "Species*", "Status",
		"On hand, kg", "Held by it")}
	t.Rows = func(yield func([]any, error) bool) {
		list, err := k.Recalls(ctx)
		if err != nil {
			yield(nil, err)
			return
		}
		for _, r := range list {
			if !span.Has(r.At) {
				continue
			}
			_, touched, err := k.RecallSheet(ctx, r.ID)
			if err != nil {
				yield(nil, err)
				return
			}
			var took any
			if r.DoneAt != nil {
				took = r.Took().Minutes()
			}
			for _, x := range touched.Lots {
				if !yield([]any{r.At, r.Drill, r.Reason, r.Person, took, x.Code, x.Species.Name, x.Status, x.WeightKg, slices.Contains(r.Held,
					x.LotID)}, nil) {
					return
				}
			}
		}
	}
	return t
}
