package web

import (
	"context"
	"fmt"
	"strconv"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// NeighbourOptions are the kitchens that a lot can be sent to.
func (v cardView) NeighbourOptions() []form.Option {
	var list []form.Option
	for _, n := range v.Neighbours {
		list = append(list, form.Option{ID: strconv.FormatInt(n.ID, 10), Name: n.Name})
	}
	return list
}

// TransferSays says how far a transfer is.
func (p page) TransferSays(t kitchen.Transfer) string {
	switch {
	case t.Failed != "":
		return fmt.Sprintf("%s: %s", t.OtherName, t.Failed)
	case t.Side == "asks" && t.Open():
		return fmt.Sprintf("asked of %s, %s", t.OtherName, p.When(t.At))
	case t.Side == "asks":
		return t.OtherName + " sent it"
	case t.Side == "asked" && t.Open():
		return fmt.Sprintf("%s asks for it, %s", t.OtherName, p.When(t.At))
	case t.Side == "asked":
		return "sent to " + t.OtherName
	case t.Side == "recalls":
		return fmt.Sprintf("recalled from %s, %s", t.OtherName, p.When(t.At))
	case t.Side == "recalled":
		return fmt.Sprintf("recalled by %s, %s: %s", t.OtherName, p.When(t.At), t.Note)
	case t.Side == "sends":
		return fmt.Sprintf("sent to %s, %s", t.OtherName, p.When(t.At))
	case t.Open():
		return fmt.Sprintf("on its way from %s, sent %s", t.OtherName, p.When(t.At))
	}
	return "came from " + t.OtherName
}

// TransferTo is the page of a transfer, below that of the kitchen.
func (p page) TransferTo(t kitchen.Transfer) string {
	switch {
	case t.LotID == nil:
		return "/deliveries"
	case t.Side == "receives" && t.Open() && p.Writes():
		return fmt.Sprintf("/lots/%s/arrival", t.LotID)
	case t.Side == "asked" && t.Open():
		return fmt.Sprintf("/lots/%s?do=sent", t.LotID)
	}
	return fmt.Sprintf("/lots/%s", t.LotID)
}

// WayOptions are how it may travel.
func (cardView) WayOptions() []form.Option { return named(lot.Ways, lot.Way.Name) }

// send takes in the form by which some of a lot goes to another kitchen.
func (s *Server) send(c *gin.Context, f *input, w kitchen.Write) {
	in := kitchen.Sending{EventID: w.EventID, LotID: w.LotID, Seen: w.Seen, HappenedAt: w.HappenedAt, To: f.ID("to")}
	in.AskID, _ = uuid.Parse(f.Text("ask"))
	in.Sent.Way = lot.Way(f.MustChoose("way", "say how it travels"))
	count, kg := f.Whole("count"), f.Mass("weight_kg")
	if count != nil {
		in.Sent.Count = *count
	}
	if kg != nil {
		in.Sent.WeightKg = *kg
	}
	in.Sent.All = count == nil && kg == nil && f.Has("all")
	s.postEvent(c, f, func(ctx context.Context) error { return s.kitchen.Send(ctx, in) })
}

// decline says no to a kitchen that asked for fish.
func (s *Server) decline(c *gin.Context) {
	id, err := uuid.Parse(c.Param("transfer"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	f := posted(c)
	s.post(c, f, func(ctx context.Context) (string, error) { return "/due", s.kitchen.Decline(ctx, id) },
		func(back form.Back) { s.showDue(c, back) })
}

// arrivalView is the form by which fish of another kitchen is received.
type arrivalView struct {
	form.Back
	kitchen.Card
	Cold []form.Option
}

func (s *Server) arrivalForm(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.showArrival(c, id, form.Back{})
	}
}

func (s *Server) showArrival(c *gin.Context, id uuid.UUID, back form.Back) {
	p, v := s.page(c, "Receive", "deliveries", nil), arrivalView{Back: back}
	p.InForm = true
	var err error
	if v.Card, err = s.kitchen.Card(c.Request.Context(), id); err == nil {
		v.Cold, err = s.coldPlaces(c.Request.Context())
	}
	if err == nil && (v.State.CameFrom == "" || v.State.MeasuredHere()) {
		err = kitchen.ErrNotFound
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "arrival", p)
}

// arrival receives fish of another kitchen.
func (s *Server) arrival(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f := posted(c)
	in := kitchen.Arrival{EventID: f.UUID("new_id"), LotID: id, At: s.kitchen.Now(), CoreC: f.MustCelsius("celsius"),
		Ice: f.Text("ice") == "yes", PlaceID: f.ID("place_id")}
	f.MustChoose("ice", "look: does it still lie in ice all around?")
	if in.PlaceID == 0 {
		f.Bad.Add("place_id", "say where it goes")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/lots/" + id.String(), s.kitchen.ReceiveSent(ctx, in)
	},
		func(back form.Back) { s.showArrival(c, id, back) })
}

// IceAnswers are those to whether it still lies in ice.
func (arrivalView) IceAnswers() []form.Option {
	return []form.Option{{ID: "yes", Name: "ice all around"}, {ID: "no", Name: "melted, or none"}}
}
