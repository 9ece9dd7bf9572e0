package kitchen_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// asking is the actor of a context, who lets wait what needs a manager.
func asking(ctx context.Context) context.Context {
	a := kitchen.ActorFrom(ctx)
	a.Asks = true
	return kitchen.WithActor(ctx, a)
}

// warmBox receives a box with a core at 9 °C and returns its lot.
func (b *bench) warmBox() uuid.UUID {
	b.t.Helper()
	warm, core := b.line("cod"), 9.0
	warm.CoreC = &core
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Skua Day-boat", ArrivedAt: b.now, Lines: []lot.Received{warm}}
	b.must(b.Receive(b.ctx, d))
	note, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	return note.Rows[0].LotID
}

// wanted is a clean inspection that accepts such a box.
func (b *bench) wanted(id uuid.UUID) kitchen.Inspection {
	return kitchen.Inspection{EventID: kitchen.NewID(), LotID: id, At: b.now, Decision: freshness.AcceptCook, Reason: "iced again at once",
		Fish: []freshness.Fish{{Signs: freshness.Signs{"skin": 0, "stiffness": 0, "smell": 0, "belly": 0, "eye_shape": 0, "eye_clarity": 0}}}}
}

func (b *bench) waiting(n int) []kitchen.Request {
	b.t.Helper()
	list, err := b.Requests(b.ctx)
	b.must(err)
	if len(list) != n {
		b.t.Fatalf("%d wait for a manager, want %d", len(list), n)
	}
	return list
}

// mayNot reports whether an answer was refused for who gave it.
func mayNot(err error) bool {
	var fields invalid.Errors
	return errors.As(err, &fields) && strings.HasPrefix(fields.On("requests"), "a manager approves")
}

func cookable(c kitchen.Card) bool { return assess.UseFor(c.Uses, lot.GateCook).OK }

// What needs a manager does not wait at the door: the lot goes on hold with what was seen on record, several
// are approved at once, and the entry then stands as the asker's, approved by the manager.
func TestApprovedLater(t *testing.T) {
	b := newBench(t)
	boxes := []uuid.UUID{b.warmBox(), b.warmBox(), b.warmBox()}
	if err := b.Inspect(b.ctx, b.wanted(boxes[0])); !kitchen.CanWait(err) {
		t.Fatalf("an overridden hard stop cannot wait for a manager: %v", err)
	}
	bad := b.wanted(boxes[0])
	bad.Reason = ""
	if err := b.Inspect(asking(b.ctx), bad); err == nil || kitchen.CanWait(err) {
		t.Errorf("asked without a reason: %v", err)
	}
	for _, id := range boxes {
		in := b.wanted(id)
		b.must(b.Inspect(asking(b.ctx), in))
		b.must(b.Inspect(asking(b.ctx), in)) // sent twice
	}
	list := b.waiting(3)
	for _, id := range boxes {
		card, err := b.Card(b.ctx, id)
		b.must(err)
		if i, ok := card.State.Inspection(); !ok || i.Decision != freshness.Hold || len(i.Fish) != 1 || card.State.Hold == "" || cookable(card) {
			t.Errorf("before it is approved: hold %q, inspection %+v", card.State.Hold, i)
		}
	}
	b.now = b.now.Add(20 * time.Minute)
	ids := []uuid.UUID{list[0].ID, list[1].ID}
	if err := b.AnswerRequests(b.ctx, kitchen.Answers{IDs: ids, Approve: true}); !mayNot(err) {
		t.Errorf("a buyer approved: %v", err)
	}
	b.must(b.AnswerRequests(b.manager, kitchen.Answers{IDs: ids, Approve: true}))
	b.must(b.AnswerRequests(b.manager, kitchen.Answers{IDs: ids, Approve: true})) // sent twice
	var fields invalid.Errors
	if err := b.AnswerRequests(b.manager, kitchen.Answers{IDs: []uuid.UUID{list[2].ID}}); !errors.As(err, &fields) || fields.On("reason") == "" {
		t.Errorf("not approved without a reason: %v", err)
	}
	b.must(b.AnswerRequests(b.manager, kitchen.Answers{IDs: []uuid.UUID{list[2].ID}, Reason: "send it back"}))
	b.waiting(0)
	for n, id := range boxes {
		card, err := b.Card(b.ctx, id)
		b.must(err)
		last := card.Entries[len(card.Entries)-1]
		if approved := n < 2; cookable(card) != approved || (card.State.Hold == "") != approved ||
			approved && (last.Person != "Bo" || last.Approver != "Mara" || !last.Payload.(lot.Inspected).ByManager) {
			t.Errorf("lot %d: cook %v, hold %q, last %s by %s, approved by %q", n, cookable(card), card.State.Hold, last.Kind, last.Person, last.Approver)
		}
	}
}

// A hold that was made for the question ends with it; one that stood before stands on.
func TestAHoldForAQuestionEndsWithIt(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod", "haddock")
	b.must(b.Append(b.ctx, b.write(rows[1].LotID, lot.Held{Reason: "no label"})))
	for _, r := range rows {
		b.must(b.Append(asking(b.ctx), b.write(r.LotID, lot.GapExplained{Until: b.now, Explanation: "on the quay in ice, seen by me"})))
	}
	var ids []uuid.UUID
	for _, r := range b.waiting(2) {
		ids = append(ids, r.ID)
	}
	due, err := b.DueBy(b.ctx, b.now)
	b.must(err)
	groups := kitchen.GatherDue(due)
	if i := slices.IndexFunc(groups, func(g kitchen.DueGroup) bool { return g.First().Approval }); i < 0 || len(groups[i].Items) != 2 {
		t.Errorf("what waits is no line of what is due: %+v", groups)
	}
	b.must(b.AnswerRequests(b.manager, kitchen.Answers{IDs: ids, Approve: true}))
	for i, want := range []string{"", "no label"} {
		card, err := b.Card(b.ctx, rows[i].LotID)
		b.must(err)
		if card.State.Hold != want || len(card.State.GapExplanations) != 1 {
			t.Errorf("lot %d: hold %q, want %q; %d explanations", i, card.State.Hold, want, len(card.State.GapExplanations))
		}
	}
}

// A lot of which two things wait is held until both are answered, and by what was not approved.
func TestTwoThingsWaitForOneLot(t *testing.T) {
	for _, c := range []struct {
		first, second bool
		held          bool
	}{{true, true, false}, {true, false, true}, {false, true, true}} {
		t.Run("", func(t *testing.T) {
			b := newBench(t)
			id := b.receive("cod")[0].LotID
			for _, what := range []string{"on the quay in ice, seen by me", "then in our van, in ice as well"} {
				b.must(b.Append(asking(b.ctx), b.write(id, lot.GapExplained{Until: b.now, Explanation: what})))
			}
			list := b.waiting(2)
			for i, yes := range []bool{c.first, c.second} {
				b.must(b.AnswerRequests(b.manager, kitchen.Answers{IDs: []uuid.UUID{list[i].ID}, Approve: yes, Reason: "as it is"}))
				card, err := b.Card(b.ctx, id)
				b.must(err)
				if held := card.State.Hold != ""; held != (c.held || i == 0) {
					t.Errorf("%v, %v: after answer %d on hold %v", c.first, c.second, i+1, held)
				}
			}
		})
	}
}

// What waits for a lot that is gone, or that a manager decided about in another way, waits no more.
func TestWhatWaitsNoMore(t *testing.T) {
	b := newBench(t)
	gone, decided := b.warmBox(), b.warmBox()
	for _, id := range []uuid.UUID{gone, decided} {
		b.must(b.Inspect(asking(b.ctx), b.wanted(id)))
	}
	b.waiting(2)
	b.now = b.now.Add(time.Minute)
	b.must(b.Append(b.ctx, b.write(gone, lot.Discarded{Reason: "it smells"})))
	b.must(b.Inspect(b.manager, b.wanted(decided)))
	b.waiting(0)
	due, err := b.DueBy(b.ctx, b.now)
	b.must(err)
	if slices.ContainsFunc(due, func(d kitchen.Due) bool { return d.Approval }) {
		t.Error("it is still due")
	}
}

// The deputy of a shift approves what others ask, not their own, and only until the day ends.
func TestTheDeputyOfAShift(t *testing.T) {
	b := newBench(t)
	site := kitchen.ActorFrom(b.ctx).Site
	b.must(b.AddPerson(b.manager, kitchen.NewPerson{Name: "Cato", Role: "crew", PIN: "7294"}))
	people, err := b.DB.People(b.ctx, site.ID)
	b.must(err)
	cato := kitchen.WithActor(b.ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[2])})
	box := b.warmBox()
	b.must(b.Inspect(asking(b.ctx), b.wanted(box)))
	id := b.waiting(1)[0].ID
	answer := kitchen.Answers{IDs: []uuid.UUID{id}, Approve: true}
	if err := b.AnswerRequests(cato, answer); !mayNot(err) {
		t.Errorf("crew approved: %v", err)
	}
	if err := b.NameDeputy(cato, kitchen.NewID(), people[2].ID); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("crew named a deputy: %v", err)
	}
	if err := b.NameDeputy(b.manager, kitchen.NewID(), people[0].ID); err == nil {
		t.Error("a manager is no deputy")
	}
	b.must(b.NameDeputy(b.manager, kitchen.NewID(), people[1].ID))
	var fields invalid.Errors
	if err := b.AnswerRequests(b.ctx, answer); !errors.As(err, &fields) || !strings.Contains(fields.On("request-"+id.String()), "yourself") {
		t.Errorf("the deputy approved their own: %v", err)
	}
	b.must(b.NameDeputy(b.manager, kitchen.NewID(), people[2].ID)) // in place of the one before
	if err := b.AnswerRequests(b.ctx, answer); !mayNot(err) {
		t.Errorf("who is no deputy any more approved: %v", err)
	}
	b.now = assess.DayEnd(b.now, time.UTC)
	if err := b.AnswerRequests(cato, answer); !mayNot(err) {
		t.Errorf("the deputy approved after the day: %v", err)
	}
	b.must(b.NameDeputy(b.manager, kitchen.NewID(), people[2].ID))
	b.must(b.AnswerRequests(cato, answer))
	card, err := b.Card(b.ctx, box)
	b.must(err)
	if last := card.Entries[len(card.Entries)-1]; last.Approver != "Cato" || last.Person != "Bo" || card.State.Hold != "" {
		t.Errorf("%s by %s, approved by %q; hold %q", last.Kind, last.Person, last.Approver, card.State.Hold)
	}
	if err := b.NameDeputy(cato, kitchen.NewID(), 0); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("the deputy does what only managers do: %v", err)
	}
}
