package demo

import (
	"compress/gzip"
	"embed"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/internal/export"
)

//go:embed samples
var samples embed.FS

// A Sample is a file to try the program's commands on; the demo does not load it.
type Sample struct {
	Name  string
	Write func(w io.Writer) error
}

// Samples lists the files: sales of the shop on the quay by month in several formats, a month of them as it was corrected
// later, and lists of shifts, holidays and questions.
func Samples() ([]Sample, error) {
	list := []Sample{
		{Name: "sales-july.csv.gz", Write: func(w io.Writer) error {
			packed := gzip.NewWriter(w)
			if err := export.CSV.WriteSheet(packed, salesOf(7), false); err != nil {
				return err
			}
			return packed.Close()
		}},
		{Name: "sales-august.parquet", Write: func(w io.Writer) error { return export.Parquet.WriteSheet(w, salesOf(8), false) }},
		{Name: "sales.xlsx", Write: func(w io.Writer) error { return export.XLSX.WriteSheet(w, salesOf(9), false) }},
		{Name: "sales-corrected.csv", Write: corrected},
	}
	files, err := fs.ReadDir(samples, "samples")
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		list = append(list, Sample{Name: f.Name(), Write: func(w io.Writer) error {
			content, err := samples.ReadFile("samples/" + f.Name())
			if err != nil {
				return err
			}
			_, err = w.Write(content)
			return err
		}})
	}
	return list, nil
}

var products = []struct {
	name  string
	price int // in cents
}{{"chart", 1850}, {"lantern", 4200}, {"postcard", 150}, {"rope", 925}, {"rain hat", 2295}}

// sale gives the records of a month of 2026 at the shop.
func sale(month int, yield func(day civil.Day, product string, quantity, cents int) error) error {
	rng := rand.New(rand.NewPCG(2026, uint64(month)))
	first := civil.Of(2026, month, 1)
	next, _ := first.AddMonths(1)
	for d := first; d < next; d++ {
		for range 2 + rng.IntN(6) {
			p := products[rng.IntN(len(products))]
			if err := yield(d, p.name, 1+rng.IntN(4), p.price); err != nil {
				return err
			}
		}
	}
	return nil
}

func salesOf(month int) export.Sheet {
	return export.Sheet{
		Title: fmt.Sprintf("2026-%02d", month),
		Columns: []export.Column{
			{Name: "sold_on", Kind: export.Day}, {Name: "product"}, {Name: "quantity", Kind: export.Number}, {Name: "amount", Kind: export.Number},
		},
		Rows: func(yield func([]string) error) error {
			return sale(month, func(d civil.Day, product string, quantity, cents int) error {
				return yield([]string{d.String(), product, strconv.Itoa(quantity), money(quantity * cents)})
			})
		},
	}
}

// corrected writes September again as a spreadsheet elsewhere does: days first, semicolons, decimal commas. One price was
// wrong in the file before.
func corrected(w io.Writer) error {
	if _, err := io.WriteString(w, "sold_on;product;quantity;amount\n"); err != nil {
		return err
	}
	return sale(9, func(d civil.Day, product string, quantity, cents int) error {
		if product == "rope" {
			cents += 50
		}
		year, month, day := d.Date()
		amount := strings.ReplaceAll(money(quantity*cents), ".", ",")
		_, err := fmt.Fprintf(w, "%02d/%02d/%d;%s;%d;%s\n", day, month, year, product, quantity, amount)
		return err
	})
}
