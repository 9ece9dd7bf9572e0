package device

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"io"
	"log"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/OpenPrinting/goipp"

	"leancatch/internal/ipp"
)

// Printer plays a label printer that speaks IPP: it takes PWG raster and keeps each label it prints as a PNG.
type Printer struct {
	Dir   string // where the pictures go
	Empty bool   // it has run out of labels

	mu   sync.Mutex
	jobs int
}

// mostJob bounds what it takes of a job.
const mostJob = 64 << 20

func (p *Printer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodPost || r.Header.Get("Content-Type") != goipp.ContentType {
		http.Error(w, "this is a printer: it speaks IPP", http.StatusBadRequest)
		return
	}
	body := http.MaxBytesReader(w, r.Body, mostJob)
	var m goipp.Message
	if err := m.Decode(body); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	answer := p.answer(&m, body)
	w.Header().Set("Content-Type", goipp.ContentType)
	if err := answer.Encode(w); err != nil {
		log.Println("printer:", err)
	}
}

func (p *Printer) answer(m *goipp.Message, body io.Reader) *goipp.Message {
	say := func(s goipp.Status) *goipp.Message {
		a := goipp.NewResponse(m.Version, s, m.RequestID)
		a.Operation.Add(goipp.MakeAttribute("attributes-charset", goipp.TagCharset, goipp.String("utf-8")))
		a.Operation.Add(goipp.MakeAttribute("attributes-natural-language", goipp.TagLanguage, goipp.String("en")))
		return a
	}
	switch goipp.Op(m.Code) {
	case goipp.OpGetPrinterAttributes:
		a := say(goipp.StatusOk)
		state, reason := 3, "none"
		if p.Empty {
			state, reason = 5, "media-empty-error"
		}
		for _, attr := range []goipp.Attribute{
			goipp.MakeAttribute("printer-name", goipp.TagName, goipp.String("Simulated label printer")),
			goipp.MakeAttribute("printer-state", goipp.TagEnum, goipp.Integer(state)),
			goipp.MakeAttribute("printer-state-reasons", goipp.TagKeyword, goipp.String(reason)),
			goipp.MakeAttribute("printer-is-accepting-jobs", goipp.TagBoolean, goipp.Boolean(true)),
			goipp.MakeAttribute("document-format-supported", goipp.TagMimeType, goipp.String(ipp.FormatRaster)),
			goipp.MakeAttribute("pwg-raster-document-type-supported", goipp.TagKeyword, goipp.String(ipp.Black1)),
			goipp.MakeAttribute("pwg-raster-document-resolution-supported", goipp.TagResolution,
				goipp.Resolution{Xres: 203, Yres: 203, Units: goipp.UnitsDpi}),
		} {
			a.Printer.Add(attr)
		}
		return a
	case goipp.OpPrintJob:
		for _, attr := range m.Operation {
			if attr.Name == "document-format" && attr.Values.String() != ipp.FormatRaster {
				return say(goipp.StatusErrorDocumentFormatNotSupported)
			}
		}
		pages, err := ipp.ReadRaster(body)
		if err != nil || len(pages) == 0 {
			log.Println("printer: a job that cannot be read:", err)
			return say(goipp.StatusErrorDocumentFormatError)
		}
		job, err := p.keep(pages)
		if err != nil {
			log.Println("printer:", err)
			return say(goipp.StatusErrorInternal)
		}
		a := say(goipp.StatusOk)
		a.Job.Add(goipp.MakeAttribute("job-id", goipp.TagInteger, goipp.Integer(job)))
		a.Job.Add(goipp.MakeAttribute("job-uri", goipp.TagURI, goipp.String(fmt.Sprintf("ipp://localhost/jobs/%d", job))))
		a.Job.Add(goipp.MakeAttribute("job-state", goipp.TagEnum, goipp.Integer(9)))
		a.Job.Add(goipp.MakeAttribute("job-state-reasons", goipp.TagKeyword, goipp.String("job-completed-successfully")))
		return a
	}
	return say(goipp.StatusErrorOperationNotSupported)
}

// keep writes the labels of a job as pictures, numbered on from those that are there.
func (p *Printer) keep(pages []*image.Gray) (int, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.jobs++
	kept, err := p.Printed()
	if err != nil {
		return 0, err
	}
	for i, page := range pages {
		var file bytes.Buffer
		if err := png.Encode(&file, page); err != nil {
			return 0, err
		}
		if err := os.WriteFile(filepath.Join(p.Dir, fmt.Sprintf("label-%04d.png", len(kept)+i+1)), file.Bytes(), 0o600); err != nil {
			return 0, err
		}
	}
	return p.jobs, nil
}

// Printed lists the pictures of the labels it printed, in their order.
func (p *Printer) Printed() ([]string, error) {
	entries, err := os.ReadDir(p.Dir)
	var list []string
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), "label-") {
			list = append(list, filepath.Join(p.Dir, e.Name()))
		}
	}
	return list, err
}
