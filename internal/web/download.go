package web

import (
	"bytes"
	"context"
	"io"
	"mime"
	"net/http"

	"github.com/gin-gonic/gin"

	"vastspan/core/table"
	"vastspan/internal/export"
)

// wanted returns the format in which a request asks to take an answer away; false where it asks for JSON.
func wanted(ctx context.Context) (export.Format, bool) {
	c, ok := ctx.(*gin.Context)
	if !ok {
		return export.Format{}, false
	}
	offered := []string{"application/json"}
	for _, f := range export.Formats {
		offered = append(offered, f.Type)
	}
	return export.OfType(c.NegotiateFormat(offered...))
}

// A download is an answer that is taken away as a file.
type download struct {
	name   string // of the file, without its ending
	format export.Format
	write  func(w io.Writer) error
}

// document returns a document as a download. It is made whole before any of it goes out, so that an error can be told.
func document(ctx context.Context, f export.Format, d *table.Document) download {
	safe := wantsSafeCells(ctx)
	return download{d.Name, f, func(w io.Writer) error {
		var b bytes.Buffer
		if err := f.Write(&b, d, safe); err != nil {
			return err
		}
		_, err := b.WriteTo(w)
		return err
	}}
}

func (d download) to(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", d.format.Type)
	w.Header().Set("Content-Disposition", attachment(d.name+d.format.Ending()))
	err := d.write(w)
	if err != nil {
		w.Header().Del("Content-Disposition") // of no use where an error is sent instead of the file
	}
	return err
}

// What can be taken away: the operations of api/openapi.yaml that offer more than JSON.

func (d download) VisitTotalResponse(w http.ResponseWriter) error          { return d.to(w) }
func (d download) VisitFindDriversResponse(w http.ResponseWriter) error    { return d.to(w) }
func (d download) VisitLineUpResponse(w http.ResponseWriter) error         { return d.to(w) }
func (d download) VisitListRecordsResponse(w http.ResponseWriter) error    { return d.to(w) }
func (d download) VisitListBoundariesResponse(w http.ResponseWriter) error { return d.to(w) }
func (d download) VisitListChangesResponse(w http.ResponseWriter) error    { return d.to(w) }
func (d download) VisitAgeResponse(w http.ResponseWriter) error            { return d.to(w) }
func (d download) VisitElapseResponse(w http.ResponseWriter) error         { return d.to(w) }
func (d download) VisitListDaysResponse(w http.ResponseWriter) error       { return d.to(w) }
func (d download) VisitViewBriefResponse(w http.ResponseWriter) error      { return d.to(w) }
func (d download) VisitGetReceiptResponse(w http.ResponseWriter) error     { return d.to(w) }
func (d download) VisitCompareReceiptResponse(w http.ResponseWriter) error { return d.to(w) }

// attach names the file that an answer is saved as.
func attach(ctx context.Context, name string) {
	if c, ok := ctx.(*gin.Context); ok {
		c.Header("Content-Disposition", attachment(name))
	}
}

func attachment(name string) string {
	return mime.FormatMediaType("attachment", map[string]string{"filename": name})
}
