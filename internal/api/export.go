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
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// longestExport is the longest span of an export, in days.
const longestExport = 3 * 366

// Export answers a table of the records as CSV or as a workbook; records.xlsx is all of them, a sheet each. Pages lead to it too, below
// their
// kitchen.
func (a *API) Export(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), exportLater)
	defer cancel()
	actor := kitchen.ActorFrom(ctx)
	span, err := kitchen.DaysAsked(actor, a.kitchen.Now(), c.Query("from"), c.Query("to"), longestExport)
	if err != nil {
		a.fail(c, err)
		return
	}
	out, err := a.exportOf(ctx, c.Param("file"), span)
	if err != nil {
		a.fail(c, err)
		return
	}
	out.name = fmt.Sprintf("%s-%s-%s", actor.Site.Slug, span.From.Format("20060102"), c.Param("file"))
	subject := out.name
	if actor.Token != nil {
		subject += ", by the token " + actor.Token.Name
	}
	if err := a.kitchen.RecordAudit(ctx, kitchen.ActExported, subject); err != nil {
		a.fail(c, err)
		return
	}
	if c.Query("progress") != "" {
		a.sendWatched(c, out)
		return
	}
	a.sendFile(c, out)
}

// exportFile is a file that is to be written.
type exportFile struct {
	name, kind string
	write      func(w io.Writer, progress func(interchange.Progress)) error
}

// The types of the files.
const (
	csvType      = "text/csv; charset=utf-8"
	workbookType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
)

// exportOf is the file of a name: records.pdf and records.xlsx are all tables, any other is one.
func (a *API) exportOf(ctx context.Context, file string, span coldchain.Span) (exportFile, error) {
	zone := kitchen.ActorFrom(ctx).Zone()
	tables := interchange.Tables(ctx, a.kitchen, span)
	workbook := func(tables []interchange.Table) exportFile {
		return exportFile{kind: workbookType, write: func(w io.Writer, progress func(interchange.Progress)) error {
			return interchange.WriteWorkbook(w, interchange.Watched(tables, progress), zone)
		}}
	}
	switch file {
	case "records.pdf":
		return exportFile{kind: "application/pdf", write: func(w io.Writer, progress func(interchange.Progress)) error {
			return interchange.WritePack(ctx, w, a.kitchen, span, progress)
		}}, nil
	case "records.xlsx":
		return workbook(tables), nil
	}
	ending := path.Ext(file)
	tables = append(tables, interchange.Lists(ctx, a.kitchen, span)...)
	i := slices.IndexFunc(tables, func(t interchange.Table) bool { return t.ID == strings.TrimSuffix(file, ending) })
	switch {
	case i >= 0 && ending == ".csv":
		return exportFile{kind: csvType, write: func(w io.Writer, _ func(interchange.Progress)) error {
			return interchange.WriteCSV(w,
				tables[i], zone)
		}}, nil
	case i >= 0 && ending == ".xlsx":
		return workbook(tables[i : i+1]), nil
	}
	return exportFile{}, kitchen.ErrNotFound
}

// written is a file on disk, at its beginning: what fails half-way is an error, not half a file. It is gone once it is closed.
func (x exportFile) written(progress func(interchange.Progress)) (f *os.File, size int64, err error) {
	if f, err = os.CreateTemp("", "leancatch-*"); err != nil {
		return nil, 0, fmt.Errorf("a file to export to: %w", err)
	}
	err = errors.Join(os.Remove(f.Name()), x.write(f, progress))
	if err == nil {
		size, err = f.Seek(0, io.SeekEnd)
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
	}
	return f, size, err
}

func (a *API) sendFile(c *gin.Context, x exportFile) {
	f, size, err := x.written(func(interchange.Progress) {})
	if err != nil {
		a.fail(c, err)
		return
	}
	defer f.Close()
	c.Header("Cache-Control", "no-store")
	c.DataFromReader(http.StatusOK, size, x.kind, f, map[string]string{"Content-Disposition": "attachment; filename=" + strconv.Quote(x.name)})
}

// sendWatched answers with a line for each table that is begun, as done, of, name with tabs between; then a line with the word file, its
// name and
// its type, and the file after it. A last line with the word error says what went wrong.
func (a *API) sendWatched(c *gin.Context, x exportFile) {
	c.Header("Cache-Control", "no-store")
	c.Header("Content-Type", "application/octet-stream")
	c.Header("X-Accel-Buffering", "no")
	c.Status(http.StatusOK)
	say := func(format string, args ...any) {
		fmt.Fprintf(c.Writer, format+"\n", args...)
		c.Writer.Flush()
	}
	f, _, err := x.written(func(p interchange.Progress) { say("%d\t%d\t%s", p.Done, p.Of, p.Now) })
	if err != nil {
		a.log.Error("export", "file", x.name, "err", err)
		say("error\tIt could not be made. Try again, or fewer days.")
		return
	}
	defer f.Close()
	say("file\t%s\t%s", x.name, x.kind)
	if _, err := io.Copy(c.Writer, f); err != nil {
		a.log.Info("export not taken", "file", x.name, "err", err)
	}
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
