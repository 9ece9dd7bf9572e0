package kitchen_test

import (
	"math"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// What was lost is listed as it stands now, with its share of what was paid, whoever has the lot since.
func TestWasteIsListedAsItStands(t *testing.T) {
	b := newBench(t)
	line := b.line("cod") // 2 fish, 6.4 kg
	line.PriceCents, line.FeeCents = 1000, 640
	row := b.receiveLines(line)[0]
	write := func(p lot.Payload) kitchen.Write {
		w := b.write(row.LotID, p)
		b.must(b.Append(b.ctx, w))
		b.now = b.now.Add(time.Hour)
		return w
	}
	lost := func() []kitchen.Waste {
		t.Helper()
		list, err := b.Waste(b.ctx, b.now.Add(-48*time.Hour))
		b.must(err)
		return list
	}
	write(lot.Taken{EndUse: lot.UsedWaste, WeightKg: 0.4, Reason: lot.WasteTrim})
	slip := write(lot.Taken{EndUse: lot.UsedWaste, WeightKg: 1, Reason: lot.WasteDropped})
	write(lot.NotFound{WeightKg: 0.5})
	if list := lost(); len(list) != 3 || list[0].EndUse != lot.NotCounted || list[1].Reason != lot.WasteDropped ||
		list[2].Supplier != "Fulmar Landing" || math.Abs(list[2].Cents-0.4*1100) > 1e-6 {
		t.Errorf("lost: %+v", list)
	}
	write(lot.Voided{EventID: slip.EventID, Reason: "it was another lot"})
	if list := lost(); len(list) != 2 {
		t.Errorf("after a slip was cancelled: %+v", list)
	}

	// Both parts carry on with what was paid for them.
	b.must(b.Split(b.ctx, kitchen.NewSplit{EventID: kitchen.NewID(), LotID: row.LotID, HappenedAt: b.now,
		Parts: []lot.SplitLot{{Count: 1, WeightKg: 2.5}, {Count: 1, WeightKg: 3}}}))
	board, err := b.Board(b.ctx)
	b.must(err)
	b.now = b.now.Add(time.Hour)
	for _, r := range board.Rows {
		b.must(b.Append(b.ctx, b.write(r.LotID, lot.Discarded{Reason: "the compressor died"})))
	}
	sum := 0.0
	for _, x := range lost() {
		sum += x.Cents
	}
	if len(lost()) != 4 || math.Abs(sum-7040) > 1e-6 {
		t.Errorf("all is lost, and it cost %.2f of 70.40: %+v", sum/100, lost())
	}
	later, err := b.Waste(b.ctx, b.now.Add(time.Hour))
	if err != nil || len(later) > 0 {
		t.Errorf("since later: %+v, %v", later, err)
	}
}
