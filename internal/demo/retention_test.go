package demo

import (
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// What the rules keep stays; what may go goes with all that it was and became, or not at all; and what was proved before still is.
func TestRetention(t *testing.T) {
	p := newPass(t)
	harbour := kitchen.ActorFrom(p.harbour).Site
	all := store.Everywhere(t.Context())
	status := func() map[uuid.UUID]string {
		rows, err := p.DB.LotsToRetain(all, harbour.ID)
		p.must(err)
		list := map[uuid.UUID]string{}
		for _, r := range rows {
			list[r.LotID] = r.Status
		}
		return list
	}
	kept, err := p.HeadsOf(all, harbour)
	p.must(err)
	before := status()
	links, err := p.DB.AllLinks(all, harbour.ID)
	p.must(err)
	begun := p.now
	for months, goes := range map[int]bool{0: false, 23: false} {
		p.now = begun.AddDate(0, months, 0)
		list, err := p.Retention(all, harbour)
		p.must(err)
		if list[0].Gone > 0 != goes || list[0].Gone+list[0].Kept != len(before) {
			t.Errorf("after %d months: %+v", months, list[0])
		}
	}
	p.now = begun.AddDate(0, 26, 0)
	dry, err := p.Retention(all, harbour)
	p.must(err)
	if len(status()) != len(before) {
		t.Fatal("to say what may go changed something")
	}
	p.must(p.Retain(all))
	after := status()
	if gone := len(before) - len(after); gone != dry[0].Gone || gone < 20 {
		t.Errorf("%d lots went, said were %d", gone, dry[0].Gone)
	}
	for id, was := range before {
		if _, there := after[id]; !there && was == string(lot.OnHand) {
			t.Errorf("lot %s is on hand, and its record is gone", id)
		}
	}
	for _, l := range links {
		_, from := after[l.FromLot]
		if _, to := after[l.ToLot]; from != to {
			t.Errorf("of %s and what it became, %s, one is gone", l.FromLot, l.ToLot)
		}
	}
	again, err := p.Retention(all, harbour)
	p.must(err)
	for i, x := range again {
		if x.Gone > 0 || dry[i].Kept != x.Kept && i < 3 {
			t.Errorf("after it went: %+v, was %+v", x, dry[i])
		}
	}
	p.must(p.CheckHeads(all, kept))
	if _, err := p.CheckChains(all, harbour); err != nil {
		t.Errorf("the chains that are left: %v", err)
	}
	if _, err := p.Board(p.harbour); err != nil {
		t.Errorf("the board: %v", err)
	}
	p.must(p.Rebuild(all, harbour))
	kept.Lots[0].Hash = kitchen.Hash("something else")
	if p.CheckHeads(all, kept) == nil {
		t.Error("a head that was altered is taken for true")
	}
	if _, err := p.DB.Pool.Exec(all, "delete from lot_event"); err == nil {
		t.Error("entries are deleted without their time being over")
	}
}
