package interchange

import (
	"context"
	"fmt"
	"iter"
	"math"
	"slices"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/haccp"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// Tables are all tables of a kitchen's records of a span, in the order in which somebody reads them.
func Tables(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) []Table {
	lots := func(s lotSheet) Table { return s.of(ctx, k, span) }
	return []Table{
		planTable(ctx, k), lots(deliveriesSheet), placeDaysTable(ctx, k, span), temperaturesTable(ctx, k, span), deviationsTable(ctx, k, span),
		lots(coresSheet), lots(stepsSheet), parasitesTable(ctx, k, span), lots(inspectionsSheet), lots(holdsSheet), lots(exitsSheet),
		signedTable("checks", "Opening and closing checks", "Check", func() ([]kitchen.Signed, error) { return k.PlacesChecked(ctx, span) }),
		calibrationTable(ctx, k, span),
		signedTable("cleandowns", "Clean-downs", "What*", func() ([]kitchen.Signed, error) { return k.CleanDowns(ctx, span) }),
		signedTable("training", "Training", "Cutting card*", func() ([]kitchen.Signed, error) { return k.Trainings(ctx, span.To) }),
		declarationsTable(ctx, k), lots(traceabilitySheet), lots(correctionsSheet), lots(historySheet), headsTable(ctx, k, span),
	}
}

// lateRows makes rows of a list that is loaded when they are asked for.
func lateRows[T any](load func() ([]T, error), row func(T) [][]any) iter.Seq2[[]any, error] {
	return func(yield func([]any, error) bool) {
		list, err := load()
		if err != nil {
			yield(nil, err)
			return
		}
		for _, x := range list {
			for _, cells := range row(x) {
				if !yield(cells, nil) {
					return
				}
			}
		}
	}
}

// eachRow makes a row of each of what comes one by one.
func eachRow[T any](list iter.Seq2[T, error], row func(T) []any) iter.Seq2[[]any, error] {
	return func(yield func([]any, error) bool) {
		for x, err := range list {
			if err != nil {
				yield(nil, err)
				return
			}
			if !yield(row(x), nil) {
				return
			}
		}
	}
}

// rounded is a temperature or a time to a hundredth, and nothing where it is not known.
func rounded(v float64) any {
	if math.IsNaN(v) {
		return nil
	}
	return math.Round(100*v) / 100
}

// roundedOr is that of what may not be known.
func roundedOr(v *float64) any {
	if v == nil {
		return nil
	}
	return rounded(*v)
}

// placeDaysTable is each day of each cold place.
func placeDaysTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: "days", Title: "Temperatures by day", Columns: columns("Day", "Place*", "Lowest, °C", "Mean, °C", "Highest, °C",
		"Limit, °C",
		"Hours above", "Hours logged", "Hours read by hand", "Hours unknown", "Longest unknown, h"),
		Rows: eachRow(k.PlaceDays(ctx, span), func(d kitchen.PlaceDay) []any {
			return []any{Day(d.Day), d.Place.Name, rounded(d.MinC), rounded(d.MeanC), rounded(d.MaxC), rounded(d.LimitC), rounded(d.AboveH),
				rounded(d.LoggedH), rounded(d.ReadH), rounded(d.UnknownH), rounded(d.LongestH)}
		})}
}

// temperaturesTable is what the probes of each place measured, by the hour, or each reading of people.
func temperaturesTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	t := Table{ID: "temperatures", Title: "Temperatures by hour", Columns: columns("Hour", "Place*", "Probe*", "Mean, °C", "Lowest, °C",
		"Highest, °C",
		"By hand")}
	t.Rows = func(yield func([]any, error) bool) {
		places, err := k.Places(ctx)
		if err != nil {
			yield(nil, err)
			return
		}
		for _, p := range places {
			trace, err := k.PlaceTrace(ctx, p.ID, span)
			if err != nil {
				yield(nil, fmt.Errorf("what was measured in %s: %w", p.Name, err))
				return
			}
			for _, line := range trace.Lines {
				for _, x := range line.Points {
					if !yield([]any{x.At, p.Name, line.Probe.Name, rounded(x.Mean), rounded(x.Min), rounded(x.Max), line.Hand}, nil) {
						return
					}
				}
			}
		}
	}
	return t
}

// deviationsTable is each deviation with its limit, its line of the safety plan, what was done about it, by whom and when, and who read
// it as the
// second person: a row for each thing that was done.
func deviationsTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	var plan kitchen.SafetyPlan
	return Table{ID: "deviations", Title: "Deviations", Columns: columns("Since", "Until", "Of*", "What*", "Worst, °C", "Limit, °C",
		"Line of the plan*",
		"Done*", "By", "At", "Read by", "Read"),
		Rows: lateRows(func() (list []kitchen.Deviation, err error) {
			if plan, err = k.SafetyPlan(ctx); err != nil {
				return nil, err
			}
			return k.Deviations(ctx, span)
		}, func(d kitchen.Deviation) (rows [][]any) {
			line := plan.Line(d.Line)
			row := []any{d.At, orNothing(d.Until), d.Of, d.What, roundedOr(d.MeasuredC), roundedOr(d.LimitC), line.Step + ": " + line.Hazard}
			read := []any{nil, nil}
			if d.Read != nil {
				read = []any{d.Read.Person, d.Read.At}
			}
			for _, x := range d.Done {
				rows = append(rows, slices.Concat(row, []any{x.What, x.Person, x.At}, read))
			}
			if len(rows) == 0 {
				rows = append(rows, slices.Concat(row, []any{"nothing yet", nil, nil}, read))
			}
			return rows
		})}
}

// parasitesTable is how the parasites of each lot were dealt with that was frozen, or served raw.
func parasitesTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: "parasites", Title: "Parasite records", Columns: columns("Lot", "Species*", "Form", "Result*", "Core there since",
		"Met", "Predicted",
		"Declaration*", "Stretches broken", "Served raw, kg"),
		Rows: eachRow(k.ParasiteRecords(ctx, span), func(x kitchen.AssessedLot) []any {
			c := x.Parasites
			var since, met, paper any
			if !c.Since.IsZero() {
				since = c.Since
			}
			if !c.MetAt.IsZero() {
				met = c.MetAt
			}
			if c.Declaration != nil {
				paper = c.Declaration.Kind.Name() + ": " + c.Declaration.Reference
			}
			raw := 0.0
			for _, e := range x.Exits {
				if e.EndUse == lot.UsedRaw {
					raw += e.Kg
				}
			}
			return []any{x.Received.Code, x.Species().Name, lot.FormName(x.State.Form), c.Text(), since, met, c.Predicted, paper, len(c.Broken), raw}
		})}
}

// signedTable is who did something when.
func signedTable(id, title, what string, load func() ([]kitchen.Signed, error)) Table {
	return Table{ID: id, Title: title, Columns: columns("At", what, "By"),
		Rows: lateRows(load, func(x kitchen.Signed) [][]any { return [][]any{{x.At, x.What, x.Person}} })}
}

func calibrationTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: "calibration", Title: "Calibration", Columns: columns("At", "Probe*", "In", "Read, °C", "True, °C", "Off by, K",
		"Passed", "Note*", "By"),
		Rows: lateRows(func() ([]kitchen.ProbeChecked, error) { return k.ProbesChecked(ctx, span) }, func(x kitchen.ProbeChecked) [][]any {
			return [][]any{{x.At, x.Probe, x.In.Name(), rounded(x.ReadC), rounded(x.TrueC), rounded(x.OffK), x.Passed, x.Note, x.Person}}
		})}
}

// declarationsTable is all papers on file: what counted in the span may have been issued long before.
func declarationsTable(ctx context.Context, k *kitchen.Kitchen) Table {
	return Table{ID: "letters", Title: "Certificates and letters", Columns: columns("Issued", "Valid to", "Supplier*", "Species*", "What*",
		"Reference*",
		"Supplier's lot", "Filed", "By", "Cancelled"),
		Rows: lateRows(func() ([]kitchen.DeclarationEntry, error) { return k.Declarations(ctx) }, func(e kitchen.DeclarationEntry) [][]any {
			return [][]any{{Day(e.IssuedOn), Day(e.ValidTo), e.Supplier, e.Species.Name, e.DeclarationKind().Name(), e.Reference, e.SupplierLot,
				e.At, e.Person,
				orNothing(e.StruckAt)}}
		})}
}

// planTable is the safety plan in force.
func planTable(ctx context.Context, k *kitchen.Kitchen) Table {
	return Table{ID: "plan", Title: "Safety plan", Columns: columns("Step", "Hazard*", "Critical", "Limit*", "How it is watched*",
		"Where it fails*", "Verified*", "Record*"),
		Rows: lateRows(func() ([]haccp.Line, error) {
			plan, err := k.SafetyPlan(ctx)
			return plan.Lines, err
		}, func(l haccp.Line) [][]any {
			limit := l.Limit
			if l.Own != "" {
				limit += ". And here: " + l.Own
			}
			return [][]any{{l.Step, l.Hazard, l.Critical, limit, l.Watch, l.Action, l.Verify, l.Record}}
		})}
}

func headsTable(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: "heads", Title: "Ends of the chains", Columns: columns("Of", "Entries", "SHA-256 of the last*"),
		Rows: lateRows(func() ([]kitchen.ChainHead, error) { return k.ChainHeads(ctx, span) }, func(h kitchen.ChainHead) [][]any {
			return [][]any{{h.Of, int(h.Seq), fmt.Sprintf("%x", h.Hash)}}
		})}
}
