package kitchen

import (
	"context"
	"errors"
	"fmt"
	"io"
	"iter"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/store"
)

// pieceSize is the size of the pieces in which an uploaded file is kept,
// importKept how long, and importQuota how much a kitchen keeps at once, bytes.
const (
	pieceSize   = 512 << 10
	importKept  = 24 * time.Hour
	importQuota = 256 << 20
)

// KeepFile stores an uploaded file until it is imported or importKept is over, or newer ones of the
// kitchen take its room. It holds a connection while it reads: r must not wait for a sender.
func (k *Kitchen) KeepFile(ctx context.Context, name string, r io.Reader) (uuid.UUID, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return uuid.Nil, err
	}
	id := NewID()
	err := k.DB.Write(ctx, func(tx *store.Tx) error {
		err := tx.AddImportFile(ctx, store.AddImportFileParams{SiteID: a.Site.ID, ID: id, Name: name,
			PersonID: a.Person.ID, CreatedAt: k.Now()})
		if err != nil {
			return err
		}
		piece := make([]byte, pieceSize)
		for seq := int64(0); ; seq++ {
			n, err := io.ReadFull(r, piece)
			if n > 0 {
				if err := tx.AddImportPiece(ctx, store.AddImportPieceParams{SiteID: a.Site.ID, FileID: id, Seq: seq,
					Bytes: piece[:n]}); err != nil {
					return err
				}
			}
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				return tx.DropImportFilesBeyond(ctx, store.DropImportFilesBeyondParams{SiteID: a.Site.ID, Bytes: importQuota})
			} else if err != nil {
				return fmt.Errorf("receiving the file: %w", err)
			}
		}
	})
	return id, err
}

// keptFile reads a kept file piece by piece.
type keptFile struct {
	ctx      context.Context
	q        *store.Queries
	site     int64
	id       uuid.UUID
	seq      int64
	leftover []byte
}

// Read implements io.Reader.
func (f *keptFile) Read(p []byte) (int, error) {
	if len(f.leftover) == 0 {
		piece, err := f.q.ImportPiece(f.ctx, store.ImportPieceParams{SiteID: f.site, FileID: f.id, Seq: f.seq})
		if errors.Is(err, ErrNotFound) {
			return 0, io.EOF
		} else if err != nil {
			return 0, err
		}
		f.leftover = piece
		f.seq++
	}
	n := copy(p, f.leftover)
	f.leftover = f.leftover[n:]
	return n, nil
}

// Choices are the answers to what a file leaves unclear; zero values leave the
// guess.
type Choices struct {
	Unit       unit.TempScale
	DateOrder  intake.DateOrder
	TempColumn *int
	Zone       string // for times that name none, as people write it
}

// none reports whether nobody has chosen anything yet.
func (c Choices) none() bool { return c == Choices{} }

// Preview is a file before it is stored.
type Preview struct {
	ID     uuid.UUID
	Name   string
	Layout intake.Layout
	Survey *intake.Survey // nil while something is unclear
	// Known is what was confirmed for the last file of this logger; nil for one
	// that was never seen.
	Known *store.LoggerLayout
}

// PreviewImport reads a kept file and says what is in it. A file that is no
// table is an invalid.Errors on "file".
func (k *Kitchen) PreviewImport(ctx context.Context, id uuid.UUID, c Choices) (Preview, error) {
	a := ActorFrom(ctx)
	file, err := k.DB.ImportFile(ctx, store.ImportFileParams{SiteID: a.Site.ID, ID: id})
	if err != nil {
		return Preview{}, err
	}
	p := Preview{ID: id, Name: file.Name}
	open := func() io.Reader { return &keptFile{ctx: ctx, q: k.DB.Queries, site: a.Site.ID, id: id} }
	if p.Layout, err = sniff(open(), a.Zone()); err != nil {
		return p, err
	}
	known, err := k.DB.LoggerLayout(ctx, store.LoggerLayoutParams{SiteID: a.Site.ID,
		Fingerprint: p.Layout.Fingerprint()})
	if err == nil {
		p.Known = &known
		if c.none() { // as last time
			column := int(known.TempColumn)
			c = Choices{Unit: unit.TempScale(known.Unit), DateOrder: intake.DateOrder(known.DateOrder),
				TempColumn: &column, Zone: known.Zone}
		}
	} else if !errors.Is(err, ErrNotFound) {
		return p, err
	}
	p.Layout, p.Survey, err = k.survey(p.Layout, open, c)
	return p, err
}

// sniff finds out how a file is laid out. One that is no table is an
// invalid.Errors on "file".
func sniff(r io.Reader, zone *time.Location) (intake.Layout, error) {
	layout, err := intake.Sniff(r, zone)
	if errors.Is(err, intake.ErrNotTable) {
		return layout, invalid.Errors{{Field: "file", Message: err.Error()}}
	}
	return layout, err
}

func (k *Kitchen) survey(layout intake.Layout, open func() io.Reader, c Choices) (intake.Layout, *intake.Survey,
	error) {
	if c.Zone != "" {
		zone, err := intake.ParseZone(c.Zone)
		if err != nil {
			return layout, nil, invalid.Errors{{Field: "zone", Message: err.Error()}}
		}
		layout.Zone = zone
	}
	if c.Unit != "" {
		layout.Unit = c.Unit
	}
	if c.DateOrder != "" {
		layout.DateOrder = c.DateOrder
	}
	if c.TempColumn != nil && slices.Contains(layout.TempChoices, *c.TempColumn) {
		layout.TempColumn = *c.TempColumn
	}
	if len(layout.Unclear()) > 0 {
		return layout, nil, nil
	}
	survey, err := layout.Survey(open(), k.Now())
	if err != nil {
		return layout, nil, err
	}
	if survey.Good == 0 {
		return layout, &survey, invalid.Errors{{Field: "file", Message: "no line of the file could be read"}}
	}
	return layout, &survey, nil
}

// Target is where imported readings belong: to a place, or to a lot with which
// the logger travelled.
type Target struct {
	PlaceID int64
	LotID   uuid.UUID
}

// Imported is what became of a file.
type Imported struct {
	intake.Survey
	Stored    int64
	Duplicate int64
	Probe     store.Probe
}

// StoreImport stores the good rows of a kept file and drops the file.
func (k *Kitchen) StoreImport(ctx context.Context, id uuid.UUID, c Choices, t Target) (Imported, error) {
	a := ActorFrom(ctx)
	p, err := k.PreviewImport(ctx, id, c)
	if err != nil {
		return Imported{}, err
	}
	open := func() io.Reader { return &keptFile{ctx: ctx, q: k.DB.Queries, site: a.Site.ID, id: id} }
	out, err := k.importRows(ctx, p.Layout, p.Survey, open, t)
	if err != nil {
		return out, err
	}
	return out, k.DB.DropImportFile(ctx, store.DropImportFileParams{SiteID: a.Site.ID, ID: id})
}

// ImportFile stores a logger's file in one go: open must give the file from its
// beginning each time.
func (k *Kitchen) ImportFile(ctx context.Context, open func() io.Reader, c Choices, t Target) (Imported, error) {
	layout, err := sniff(open(), ActorFrom(ctx).Zone())
	if err != nil {
		return Imported{}, err
	}
	layout, survey, err := k.survey(layout, open, c)
	if err != nil {
		return Imported{}, err
	}
	return k.importRows(ctx, layout, survey, open, t)
}

func (k *Kitchen) importRows(ctx context.Context, layout intake.Layout, survey *intake.Survey, open func() io.Reader,
	t Target) (Imported, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return Imported{}, err
	}
	var bad invalid.Errors
	for _, field := range layout.Unclear() {
		bad.Add(field, "the file does not tell: choose")
	}
	if err := bad.Err(); err != nil {
		return Imported{}, err
	}
	interval := max(survey.Interval, time.Second)
	if survey.Good == 1 {
		interval = probeInterval
	}
	name, place, state, err := k.target(ctx, a, t)
	if err != nil {
		return Imported{}, err
	}
	out := Imported{Survey: *survey}
	batch := store.Batch{First: survey.First, Last: survey.Last, Ascending: survey.Ascending, Count: survey.Good,
		All: goodRows(layout, open, k.Now())}
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		if out.Probe, err = k.ensureProbe(ctx, tx, a.Site,
			NewProbe{Name: name, Kind: LoggerFile, PlaceID: place, Interval: interval}); err != nil {
			return err
		}
		if out.Stored, err = k.put(ctx, tx, out.Probe, batch); err != nil {
			return err
		}
		remember := store.PutLoggerLayoutParams{SiteID: a.Site.ID, Fingerprint: layout.Fingerprint(),
			Unit: string(layout.Unit), DateOrder: string(layout.DateOrder),
			Zone: layout.Zone.String(), TempColumn: int64(layout.TempColumn), UsedAt: k.Now()}
		if place != 0 {
			remember.PlaceID = &place
		}
		if err := tx.PutLoggerLayout(ctx, remember); err != nil {
			return err
		}
		if state == nil {
			return nil
		}
		return k.addLoggerStay(ctx, tx, a, state, out.Probe, survey)
	})
	out.Duplicate = int64(out.Good) - out.Stored
	return out, err
}

func goodRows(layout intake.Layout, open func() io.Reader, latest time.Time) iter.Seq2[coldchain.Reading, error] {
	return func(yield func(coldchain.Reading, error) bool) {
		for row, err := range layout.Rows(open(), latest) {
			if row.Bad != nil {
				continue
			}
			if !yield(row.Reading, err) {
				return
			}
		}
	}
}

// target returns the name of the logger at a place or with a lot.
func (k *Kitchen) target(ctx context.Context, a Actor, t Target) (name string, place int64, state *lot.State,
	err error) {
	if t.LotID != uuid.Nil {
		states, err := k.states(ctx, k.DB.Queries, a.Site, t.LotID)
		if err != nil {
			return "", 0, nil, err
		}
		return "Logger with " + states[0].Received.Code, 0, states[0], nil
	}
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return "", 0, nil, err
	}
	p, ok := l.places[t.PlaceID]
	if !ok {
		return "", 0, nil, invalid.Errors{{Field: "target", Message: "choose where the logger lay"}}
	}
	return p.Name + ", logger", p.ID, nil, nil
}

// addLoggerStay notes that the logger travelled with the lot up to its receipt,
// unless that is noted already. Afterwards the place's own probe knows better.
func (k *Kitchen) addLoggerStay(ctx context.Context, tx *store.Tx, a Actor, s *lot.State, probe store.Probe,
	survey *intake.Survey) error {
	way := coldchain.Span{From: survey.First, To: survey.Last}
	if s.ReceivedAt.Before(way.To) {
		way.To = s.ReceivedAt
	}
	if way.Len() <= 0 {
		return invalid.Errors{{Field: "target",
			Message: "all readings are of the time after the lot was received: import them for the place where it lies"}}
	}
	for _, l := range s.Loggers {
		if l.ProbeID == probe.ID && !way.From.Before(l.From) && !way.To.After(l.To) {
			return nil
		}
	}
	c := &change{Tx: tx, k: k, a: a}
	if err := c.write(ctx, Write{EventID: NewID(), LotID: s.ID, HappenedAt: k.Now(),
		Payload: lot.Logger{ProbeID: probe.ID, From: way.From, To: way.To}}); err != nil {
		return err
	}
	if err := c.project(ctx); err != nil {
		return err
	}
	return tx.Changed(ctx, a.Site.ID)
}
