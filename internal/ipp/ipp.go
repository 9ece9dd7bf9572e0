// Package ipp prints by the Internet Printing Protocol [RFC8010], [RFC8011]: it asks a printer what it takes, and sends
// it pictures as PWG raster, or PDF.
package ipp

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/OpenPrinting/goipp"
)

// The formats of documents.
const (
	FormatRaster = "image/pwg-raster"
	FormatPDF    = "application/pdf"
)

const (
	timeout    = 8 * time.Second
	mostAnswer = 1 << 20 // bytes of what a printer answers
)

// Printer is one on the network.
type Printer struct {
	URI    string // as ipp://192.168.1.40/ipp/print
	Client *http.Client
}

// New makes the client of a printer; the error says what is wrong with its address.
func New(uri string) (*Printer, error) {
	if _, err := address(uri); err != nil {
		return nil, err
	}
	return &Printer{URI: uri, Client: &http.Client{Timeout: timeout, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse // a printer sends nobody elsewhere
	}}}, nil
}

// address is where a printer is asked by HTTP [RFC8010, section 4].
func address(uri string) (string, error) {
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" {
		return "", errors.New("is not an address like ipp://192.168.1.40/ipp/print")
	}
	switch u.Scheme {
	case "ipp":
		u.Scheme = "http"
	case "ipps":
		u.Scheme = "https"
	default:
		return "", errors.New("begins with ipp:// or ipps://")
	}
	if u.Port() == "" {
		u.Host += ":631"
	}
	return u.String(), nil
}

// Abilities are what a printer says of itself.
type Abilities struct {
	Name        string
	State       string   // idle, processing or stopped
	Reasons     []string // of its state, as media-empty
	Formats     []string
	RasterTypes []string
	DPI         int // of its first resolution for raster; 0 where it names none
}

// Trouble says in words why it does not print now; "" where it does.
func (a Abilities) Trouble() string {
	var list []string
	for _, reason := range a.Reasons {
		reason = strings.TrimSuffix(strings.TrimSuffix(reason, "-error"), "-report")
		words := map[string]string{"media-empty": "it is out of labels", "media-needed": "it is out of labels", "media-jam": "labels are jammed",
			"cover-open": "its cover is open", "door-open": "its door is open", "paused": "it is paused", "offline": "it is offline",
			"marker-supply-empty": "its ribbon is used up"}[reason]
		if words != "" && !slices.Contains(list, words) {
			list = append(list, words)
		}
	}
	if len(list) == 0 && a.State == "stopped" {
		return "it has stopped"
	}
	return strings.Join(list, ", ")
}

// Ask asks a printer what it is and takes.
func (p *Printer) Ask(ctx context.Context) (Abilities, error) {
	req := p.request(goipp.OpGetPrinterAttributes)
	asked := goipp.MakeAttr("requested-attributes", goipp.TagKeyword, goipp.String("printer-name"), goipp.String("printer-state"),
		goipp.String("printer-state-reasons"), goipp.String("document-format-supported"),
		goipp.String("pwg-raster-document-type-supported"), goipp.String("pwg-raster-document-resolution-supported"))
	req.Operation.Add(asked)
	answer, err := p.send(ctx, req, nil)
	if err != nil {
		return Abilities{}, err
	}
	a := Abilities{Name: word(answer.Printer, "printer-name"), Reasons: words(answer.Printer, "printer-state-reasons"),
		Formats: words(answer.Printer, "document-format-supported"), RasterTypes: words(answer.Printer, "pwg-raster-document-type-supported")}
	for _, attr := range answer.Printer {
		if len(attr.Values) == 0 {
			continue
		}
		switch v := attr.Values[0].V.(type) {
		case goipp.Integer:
			if attr.Name == "printer-state" {
				a.State = map[int]string{3: "idle", 4: "processing", 5: "stopped"}[int(v)]
			}
		case goipp.Resolution:
			a.DPI = v.Xres
			if v.Units == goipp.UnitsDpcm {
				a.DPI = int(float64(v.Xres)*2.54 + 0.5)
			}
		}
	}
	return a, nil
}

// Job is a document to print.
type Job struct {
	Name, User string
	Format     string
	Document   []byte
	W, H       float64 // of its medium, mm
}

// Print sends it, and returns the number that the printer gave it. A printer that does not know a medium of that size
// prints on what is loaded.
func (p *Printer) Print(ctx context.Context, job Job) (int, error) {
	req := p.request(goipp.OpPrintJob)
	req.Operation.Add(goipp.MakeAttribute("requesting-user-name", goipp.TagName, goipp.String(job.User)))
	req.Operation.Add(goipp.MakeAttribute("job-name", goipp.TagName, goipp.String(job.Name)))
	req.Operation.Add(goipp.MakeAttribute("document-format", goipp.TagMimeType, goipp.String(job.Format)))
	hundredths := func(mm float64) goipp.Integer { return goipp.Integer(mm*100 + 0.5) }
	size := goipp.MakeAttrCollection("media-size", goipp.MakeAttribute("x-dimension", goipp.TagInteger, hundredths(job.W)),
		goipp.MakeAttribute("y-dimension", goipp.TagInteger, hundredths(job.H)))
	req.Job.Add(goipp.MakeAttrCollection("media-col", size))
	answer, err := p.send(ctx, req, job.Document)
	var refused *Refused
	if errors.As(err, &refused) && refused.Status == goipp.StatusErrorAttributesOrValues {
		req.Job = nil
		answer, err = p.send(ctx, req, job.Document)
	}
	if err != nil {
		return 0, err
	}
	for _, attr := range answer.Job {
		if attr.Name == "job-id" && len(attr.Values) > 0 {
			if id, ok := attr.Values[0].V.(goipp.Integer); ok {
				return int(id), nil
			}
		}
	}
	return 0, errors.New("the printer took the job without giving it a number")
}

func (p *Printer) request(op goipp.Op) *goipp.Message {
	m := goipp.NewRequest(goipp.DefaultVersion, op, 1)
	m.Operation.Add(goipp.MakeAttribute("attributes-charset", goipp.TagCharset, goipp.String("utf-8")))
	m.Operation.Add(goipp.MakeAttribute("attributes-natural-language", goipp.TagLanguage, goipp.String("en")))
	m.Operation.Add(goipp.MakeAttribute("printer-uri", goipp.TagURI, goipp.String(p.URI)))
	return m
}

// send sends a request, with a document or without, and returns what the printer answered. Errors are in words that can
// be shown.
func (p *Printer) send(ctx context.Context, m *goipp.Message, document []byte) (*goipp.Message, error) {
	to, err := address(p.URI)
	if err != nil {
		return nil, err
	}
	head, err := m.EncodeBytes()
	if err != nil {
		return nil, fmt.Errorf("writing to the printer: %w", err)
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, to, bytes.NewReader(append(head, document...)))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Content-Type", goipp.ContentType)
	resp, err := p.Client.Do(req)
	if err != nil {
		return nil, &NoAnswer{err}
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return nil, &NoAnswer{fmt.Errorf("it answers %s", resp.Status)}
	}
	var answer goipp.Message
	if err := answer.Decode(io.LimitReader(resp.Body, mostAnswer)); err != nil {
		return nil, &NoAnswer{err}
	}
	if status := goipp.Status(answer.Code); status >= goipp.StatusErrorBadRequest {
		return nil, &Refused{status}
	}
	return &answer, nil
}

// NoAnswer is that nobody speaks the protocol at the address.
type NoAnswer struct{ err error }

func (e *NoAnswer) Error() string { return "the printer does not answer: " + e.err.Error() }
func (e *NoAnswer) Unwrap() error { return e.err }

// Refused is that the printer does not do what it is asked.
type Refused struct{ Status goipp.Status }

func (e *Refused) Error() string { return "the printer refuses: " + e.Status.String() }

func words(attrs goipp.Attributes, name string) []string {
	var list []string
	for _, attr := range attrs {
		if attr.Name != name {
			continue
		}
		for _, v := range attr.Values {
			if s, ok := v.V.(goipp.String); ok {
				list = append(list, string(s))
			}
		}
	}
	return list
}

func word(attrs goipp.Attributes, name string) string {
	if list := words(attrs, name); len(list) > 0 {
		return list[0]
	}
	return ""
}
