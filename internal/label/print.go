package label

import (
	"context"
	"fmt"
	"image"
	"slices"

	"leancatch/internal/ipp"
)

// usualDPI are the dots an inch of a label printer that names none (common practice, no source).
const usualDPI = 203

// Print prints labels one after the other, as raster where the printer takes that, else as PDF. Errors are in words
// that can be shown; nothing was sent then.
func Print(ctx context.Context, p *ipp.Printer, m Media, labels []Label, user string) error {
	can, err := p.Ask(ctx)
	if err != nil {
		return err
	}
	if trouble := can.Trouble(); trouble != "" {
		return fmt.Errorf("the printer does not print: %s", trouble)
	}
	job := ipp.Job{Name: "Labels", User: user, W: m.W, H: m.H}
	if !m.Roll() {
		job.W, job.H = m.PageW, m.PageH
	}
	kind := ipp.SGray8
	if slices.Contains(can.RasterTypes, ipp.Black1) {
		kind = ipp.Black1
	}
	switch {
	case m.Roll() && slices.Contains(can.Formats, ipp.FormatRaster):
		dpi := can.DPI
		if dpi == 0 {
			dpi = usualDPI
		}
		var pages []*image.Gray
		for _, l := range labels {
			pages = append(pages, Image(l, m, dpi))
		}
		job.Format = ipp.FormatRaster
		job.Document, err = ipp.Raster(pages, dpi, kind)
	case slices.Contains(can.Formats, ipp.FormatPDF):
		job.Format = ipp.FormatPDF
		job.Document, err = PDF(labels, m, 0)
	case m.Roll():
		return fmt.Errorf("the printer takes neither PWG raster nor PDF")
	default:
		return fmt.Errorf("the printer takes no PDF: print labels of a roll on it, and sheets from the PDF")
	}
	if err != nil {
		return err
	}
	_, err = p.Print(ctx, job)
	return err
}
