package web

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// cardsView lists the cutting cards.
type cardsView struct{ Cards []cuttingCard }

// cuttingCard is how a species is cut.
type cuttingCard struct {
	cutting.Card
	Fish    template.HTML
	Names   []string // of the species
	Trained []kitchen.Trained
	Known   *kitchen.YieldKnown
	People  []form.Option
	Photos  map[int]uuid.UUID // the kitchen's own pictures, by step
	form.Back
}

// Photo is the picture of a step, counted from 0; nil where there is none.
func (c cuttingCard) Photo(step int) *uuid.UUID {
	if id, ok := c.Photos[step]; ok {
		return &id
	}
	return nil
}

// StepOptions are the steps, by number.
func (c cuttingCard) StepOptions() []form.Option {
	var list []form.Option
	for i, step := range c.Steps {
		list = append(list, form.Option{ID: strconv.Itoa(i), Name: fmt.Sprintf("%d. %s", i+1, step.Do)})
	}
	return list
}

// Title is what the card is of.
func (c cuttingCard) Title() string { return c.Names[0] + ": " + lot.FormName(c.Cut) }

// Alone is how many do it alone.
func (c cuttingCard) Alone() int {
	n := 0
	for _, t := range c.Trained {
		if !t.AloneAt.IsZero() {
			n++
		}
	}
	return n
}

func newCuttingCard(p page, c cutting.Card, trained []kitchen.Trained) cuttingCard {
	v := cuttingCard{Card: c, Trained: trained}
	for _, id := range c.Species {
		v.Names = append(v.Names, p.SpeciesOf(id).Name)
	}
	return v
}

func (s *Server) cuttingCards(c *gin.Context) {
	p := s.page(c, "Cutting cards", "bench", nil)
	trained, err := s.kitchen.Training(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	v := cardsView{}
	for _, card := range cutting.Cards() {
		v.Cards = append(v.Cards, newCuttingCard(p, card, trained[card.ID]))
	}
	p.Data = v
	s.show(c, http.StatusOK, "cards", p)
}

func (s *Server) cuttingCard(c *gin.Context) { s.showCuttingCard(c, form.Back{}) }

func (s *Server) showCuttingCard(c *gin.Context, back form.Back) {
	card, ok := cutting.GetCard(c.Param("card"))
	if !ok {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	ctx := c.Request.Context()
	p := s.page(c, "Cutting card", "bench", nil)
	trained, err := s.kitchen.Training(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := newCuttingCard(p, card, trained[card.ID])
	v.Back = back
	sp := p.SpeciesOf(card.Species[0])
	from := "gutted"
	if sp.Body == species.Tail {
		from = "tail"
	}
	known, err := s.kitchen.YieldOf(ctx, sp.ID, from, card.Cut)
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Known = &known
	names, err := s.kitchen.Names(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, id := range slices.Sorted(maps.Keys(names)) {
		v.People = append(v.People, form.Option{ID: strconv.FormatInt(id, 10), Name: names[id]})
	}
	b := drawing.Bench{Subject: drawing.Subject{Figure: sp.Figure, Form: from}, Body: bodyOf(sp, from), Main: card.Cut}
	for _, step := range card.Steps {
		b.Steps = append(b.Steps, step.At)
	}
	v.Fish = b.Draw()
	if v.Photos, err = s.kitchen.CardPhotos(ctx, card.ID); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "card", p)
}

// cardPhoto keeps a picture of a step of a card, or takes it away.
func (s *Server) cardPhoto(c *gin.Context) {
	f := posted(c)
	f.form = "photo"
	in := kitchen.NewCardPhoto{ID: f.UUID("new_id"), Card: c.Param("card"), Step: -1}
	if step := f.Whole("step"); step != nil {
		in.Step = *step
	}
	if f.Text("do") != "remove" {
		picture, err := postedPhoto(c, "photo")
		var bad invalid.Errors
		switch {
		case errors.As(err, &bad):
			f.Bad = append(f.Bad, bad...)
		case err != nil:
			s.fail(c, err)
			return
		}
		in.Photo = &picture
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/bench/cards/" + in.Card, s.kitchen.SetCardPhoto(ctx, in)
	},
		func(back form.Back) { s.showCuttingCard(c, back) })
}

// train writes that somebody was shown a card, or does it alone.
func (s *Server) train(c *gin.Context) {
	f := posted(c)
	in := kitchen.NewTraining{ID: f.UUID("new_id"), Card: c.Param("card"), PersonID: f.ID("person_id"), ShownBy: f.ID("shown_by")}
	s.post(c, f, func(ctx context.Context) (string, error) { return "/bench/cards/" + in.Card, s.kitchen.Train(ctx, in) },
		func(back form.Back) { s.showCuttingCard(c, back) })
}
