package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// The span of an export: what is asked for where nobody says, and the longest, in days.
const (
	usualExport   = 30
	longestExport = 3 * 366
)

// exportSpan reads the days of an export, in the kitchen's time: both count whole.
func exportSpan(c *gin.Context, a kitchen.Actor, now time.Time) (coldchain.Span, error) {
	var bad invalid.Errors
	day := func(name string, usual time.Time) time.Time {
		text := c.Query(name)
		if text == "" {
			return usual
		}
		at, err := time.ParseInLocation(time.DateOnly, text, a.Zone())
		if err != nil {
			bad.Add(name, "is not a day like 2026-01-30")
		}
		return at
	}
	local := now.In(a.Zone())
	today := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, a.Zone())
	span := coldchain.Span{From: day("from", today.AddDate(0, 0, -usualExport)), To: day("to", today).AddDate(0, 0, 1)}
	switch days := span.Len().Hours() / 24; {
	case len(bad) > 0:
	case days <= 0:
		bad.Add("to", "lies before from")
	case days > longestExport:
		bad.Add("to", "at most three years after from")
	}
	return span, bad.Err()
}

// Export answers a table of the records as CSV or as a workbook; records.xlsx is all of them, a sheet each. Pages lead to it too, below their
// kitchen.
func (a *API) Export(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), exportLater)
	defer cancel()
	c.Request = c.Request.WithContext(ctx)
	a.export(c)
}

func (a *API) export(c *gin.Context) {
	ctx := c.Request.Context()
	actor := kitchen.ActorFrom(ctx)
	span, err := exportSpan(c, actor, a.kitchen.Now())
	if err != nil {
		a.fail(c, err)
		return
	}
	file := c.Param("file")
	ending := path.Ext(file)
	name := strings.TrimSuffix(file, ending)
	tables := interchange.Tables(ctx, a.kitchen, span)
	if name != "records" || ending != ".xlsx" {
		i := slices.IndexFunc(tables, func(t interchange.Table) bool { return t.ID == name })
		if i < 0 || ending != ".csv" && ending != ".xlsx" {
			a.fail(c, kitchen.ErrNotFound)
			return
		}
		tables = tables[i : i+1]
	}
	kind, write := "text/csv; charset=utf-8", func(w io.Writer) error { return interchange.WriteCSV(w, tables[0], actor.Zone()) }
	if ending == ".xlsx" {
		kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
		write = func(w io.Writer) error { return interchange.WriteWorkbook(w, tables, actor.Zone()) }
	}
	sendFile(c, kind, fmt.Sprintf("%s-%s-%s%s", actor.Site.Slug, name, span.From.Format("20060102"), ending), write, func(err error) { a.fail(c, err) })
}

// sendFile answers with a file that is written whole first, on disk: what fails half-way is an error, not half a file.
func sendFile(c *gin.Context, kind, name string, write func(io.Writer) error, fail func(error)) {
	f, err := os.CreateTemp("", "leancatch-*")
	if err != nil {
		fail(fmt.Errorf("a file to export to: %w", err))
		return
	}
	defer os.Remove(f.Name())
	defer f.Close()
	if err := write(f); err != nil {
		fail(err)
		return
	}
	size, err := f.Seek(0, io.SeekEnd)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		fail(fmt.Errorf("reading the export: %w", err))
		return
	}
	c.Header("Cache-Control", "no-store")
	c.DataFromReader(http.StatusOK, size, kind, f, map[string]string{"Content-Disposition": "attachment; filename=" + strconv.Quote(name)})
}

// exportLater is how long an export may take.
const exportLater = 2 * time.Minute

// calendarAhead is how far ahead a calendar shows what is due.
const calendarAhead = 7 * 24 * time.Hour

// calendar answers what is due in the next week as a calendar, to who has the secret of its address.
func (a *API) calendar(c *gin.Context) {
	ctx := c.Request.Context()
	actor, err := a.kitchen.ActorOfToken(ctx, c.Query("token"))
	if err != nil || actor.Token == nil || !actor.Token.ShowsCalendar() {
		if err != nil && !errors.Is(err, kitchen.ErrNoActor) {
			a.fail(c, err)
			return
		}
		a.fail(c, kitchen.ErrNotFound)
		return
	}
	now := a.kitchen.Now()
	due, err := a.kitchen.DueBy(kitchen.WithActor(ctx, actor), now.Add(calendarAhead))
	if err != nil {
		a.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/calendar; charset=utf-8", []byte(interchange.DueCalendar(due, actor, now)))
}

// epcis answers the events of a lot as EPCIS 2.0.
func (a *API) epcis(c *gin.Context) {
	id, ok := a.lotID(c)
	if !ok {
		return
	}
	ctx := c.Request.Context()
	x, err := a.kitchen.RecordLot(ctx, id)
	if err != nil {
		a.fail(c, err)
		return
	}
	data, err := interchange.EPCIS(x, kitchen.ActorFrom(ctx), a.kitchen.Now())
	if err != nil {
		a.fail(c, err)
		return
	}
	c.Data(http.StatusOK, "application/ld+json", data)
}
