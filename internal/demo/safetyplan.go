package demo

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/haccp"
	"leancatch/internal/kitchen"
)

// safetyPlan has the kitchen's plan signed twice, and the deviations of two weeks ago read by a second person.
func (w *builder) safetyPlan(ctx context.Context) error {
	signed := func(daysAgo int, after int, note string, change func([]haccp.Line) []haccp.Line) error {
		w.k.Now = func() time.Time { return w.start.Add(-time.Duration(daysAgo) * 24 * time.Hour) }
		ctx := w.as(ctx, "Ansa")
		plan, err := w.k.SafetyPlan(ctx)
		if err != nil {
			return err
		}
		return w.k.SignSafetyPlan(ctx, kitchen.NewSafetyPlan{After: after, Note: note, Lines: change(plan.Lines)})
	}
	if err := signed(19, 0, "the first one", func(lines []haccp.Line) []haccp.Line { return lines }); err != nil {
		return fmt.Errorf("signing the plan: %w", err)
	}
	err := signed(9, 1, "two fish of each box are measured; the ice is ours to check", func(lines []haccp.Line) []haccp.Line {
		for i := range lines {
			if lines[i].ID == haccp.Core {
				lines[i].Own = "two fish of each box are measured, from its middle"
			}
		}
		return append(lines, haccp.Line{ID: haccp.OwnPrefix + "1", Step: "Icing", Hazard: "Ice that makes clean fish dirty",
			Limit: "Of drinking water, from a clean bin",
			Watch: "The ice machine and its scoop, by who opens", Action: "Throw the ice away, clean the bin", Verify: "A manager looks, each month",
			Record: "Opening and closing checks"})
	})
	if err != nil {
		return fmt.Errorf("signing the plan again: %w", err)
	}
	if err := w.cleanAndTrain(ctx); err != nil {
		return err
	}
	at := w.start.Add(-6 * 24 * time.Hour)
	w.k.Now = func() time.Time { return at }
	ctx = w.as(ctx, "Bertil")
	list, err := w.k.Deviations(ctx, coldchain.Span{From: w.start.Add(-History), To: at})
	if err != nil {
		return err
	}
	var ids []uuid.UUID
	for _, d := range list {
		if d.ReadBy("Bertil") {
			ids = append(ids, d.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	return w.k.ReadDeviations(ctx, ids, "the door of the walk-in wants a closer")
}

// cleanAndTrain has the boards cleaned down each night, and Dunja learn to fillet plaice.
func (w *builder) cleanAndTrain(ctx context.Context) error {
	for n := 18; n >= 2; n-- {
		w.k.Now = func() time.Time { return w.start.Add(-time.Duration(n)*24*time.Hour + 15*time.Hour) }
		if err := w.k.CleanDown(w.as(ctx, []string{"Cato", "Dunja"}[n%2]), kitchen.NewID()); err != nil {
			return fmt.Errorf("cleaning down: %w", err)
		}
	}
	for daysAgo, by := range map[int]int64{15: w.people["Ansa"].ID, 8: 0} {
		w.k.Now = func() time.Time { return w.start.Add(-time.Duration(daysAgo) * 24 * time.Hour) }
		if err := w.k.Train(w.as(ctx, "Ansa"), kitchen.NewTraining{ID: kitchen.NewID(), Card: "plaice-fillets", PersonID: w.people["Dunja"].ID,
			ShownBy: by}); err != nil {
			return fmt.Errorf("training: %w", err)
		}
	}
	return nil
}
