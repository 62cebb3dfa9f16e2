package ingest

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// A workbook is an opened XLSX file: its sheets, the texts that cells refer to, and the styles that show dates.
type workbook struct {
	sheets   []string // by name, in the order of the workbook
	files    map[string]*zip.File
	texts    []string
	dates    []bool // by the number of a style: it shows a date
	from1904 bool   // days are counted from 1904
	release  func() // of the memory that the texts take
}

// Limits of a workbook. What a file unpacks to is not known before it is unpacked, so each is checked while it is read.
const (
	// maxDirectory is the size of the directory of an archive, in bytes.
	maxDirectory = 4 << 20
	// maxSheetColumns is the number of columns of a sheet, and maxCell the length of a text, in bytes.
	maxSheetColumns = 16384
	maxCell         = 1 << 20
	// maxXMLDepth is how deep elements are nested.
	maxXMLDepth = 32
	// maxStyles is the number of styles, of formats and of sheets.
	maxStyles = 1 << 17
)

// openWorkbook reads everything of a workbook but its sheets.
func openWorkbook(archive *zip.Reader, room *Room) (*workbook, error) {
	b := &workbook{files: map[string]*zip.File{}, release: func() {}}
	if err := b.readSheetNames(archive); err != nil {
		return nil, err
	}
	if len(b.sheets) == 0 {
		return nil, errors.New("the workbook has no sheets")
	}
	if err := b.readStyles(archive); err != nil {
		return nil, err
	}
	if err := b.readTexts(archive, room); err != nil {
		b.release()
		return nil, err
	}
	return b, nil
}

// openArchive opens a ZIP archive whose directory is of a sensible size: the directory is held in memory.
func openArchive(file io.ReaderAt, size int64) (*zip.Reader, error) {
	tail := make([]byte, min(size, 1<<16+22))
	if _, err := file.ReadAt(tail, size-int64(len(tail))); err != nil && !errors.Is(err, io.EOF) {
		return nil, &ReadError{err}
	}
	if at := bytes.LastIndex(tail, []byte("PK\x05\x06")); at >= 0 && len(tail) >= at+16 {
		if directory := binary.LittleEndian.Uint32(tail[at+12:]); directory > maxDirectory {
			return nil, fmt.Errorf("the directory of the archive has %d bytes: at most %d are read", directory, maxDirectory)
		}
	}
	archive, err := zip.NewReader(file, size)
	if err != nil {
		return nil, damaged("XLSX", err)
	}
	return archive, nil
}

// readSheetNames reads the sheets of a workbook, and the files that hold them.
func (b *workbook) readSheetNames(archive *zip.Reader) error {
	ids := map[string]string{} // of sheets, by name
	err := readXML(archive, "xl/workbook.xml", func(t *xmlTokens, e *xml.StartElement) error {
		switch e.Name.Local {
		case "workbookPr":
			from := attribute(e, "date1904")
			b.from1904 = from == "1" || from == "true"
		case "sheet":
			name := attribute(e, "name")
			if len(b.sheets) == maxStyles || ids[name] != "" {
				return fmt.Errorf("the sheet %q is named twice, or there are too many", shorten(name))
			}
			b.sheets, ids[name] = append(b.sheets, name), attribute(e, "id")
		}
		return nil
	})
	if err != nil {
		return err
	}
	targets := map[string]string{}
	err = readXML(archive, "xl/_rels/workbook.xml.rels", func(t *xmlTokens, e *xml.StartElement) error {
		if e.Name.Local == "Relationship" && len(targets) < maxStyles {
			targets[attribute(e, "Id")] = attribute(e, "Target")
		}
		return nil
	})
	if err != nil {
		return err
	}
	b.sheets = slices.DeleteFunc(b.sheets, func(name string) bool {
		target := targets[ids[name]]
		if !strings.HasPrefix(target, "/") {
			target = "/xl/" + target
		}
		b.files[name] = fileOfArchive(archive, strings.TrimPrefix(path.Clean(target), "/"))
		return target == "/xl/" || strings.Contains(target, "chartsheets/")
	})
	return nil
}

// fileOfArchive finds a file of an archive by its name, in upper or lower case; nil where there is none.
func fileOfArchive(archive *zip.Reader, name string) *zip.File {
	at := slices.IndexFunc(archive.File, func(f *zip.File) bool { return strings.EqualFold(f.Name, name) })
	if at < 0 {
		return nil
	}
	return archive.File[at]
}

// readStyles finds the styles that show dates: those of the built-in formats of dates, and of formats that write days,
// months, years, hours or seconds.
func (b *workbook) readStyles(archive *zip.Reader) error {
	if fileOfArchive(archive, "xl/styles.xml") == nil {
		return nil
	}
	formats := map[string]string{}
	inCells := false
	return readXML(archive, "xl/styles.xml", func(t *xmlTokens, e *xml.StartElement) error {
		switch e.Name.Local {
		case "numFmt":
			if len(formats) < maxStyles {
				formats[attribute(e, "numFmtId")] = attribute(e, "formatCode")
			}
		case "cellStyleXfs":
			inCells = false
		case "cellXfs":
			inCells = true
		case "xf":
			if !inCells || len(b.dates) == maxStyles {
				break
			}
			id := attribute(e, "numFmtId")
			n, _ := strconv.Atoi(id) // 0, which shows no date, where it is none
			b.dates = append(b.dates, n >= 14 && n <= 22 || n >= 45 && n <= 47 || n >= 164 && showsDate(formats[id]))
		case "cellStyles", "dxfs":
			inCells = false
		}
		return nil
	})
}

// besideDate matches the parts of a format that show no value: colours and conditions, escaped letters, quoted text.
var besideDate = regexp.MustCompile(`\[[^\]]+\]|\\.|_.|\*.|"[^"]*"`)

// elapsed matches the parts of a format that show hours, minutes or seconds of a duration.
var elapsed = regexp.MustCompile(`(?i)\[(h+|m+|s+)\]`)

// showsDate reports whether a format shows a date or a time.
func showsDate(format string) bool {
	return elapsed.MatchString(format) || strings.ContainsAny(besideDate.ReplaceAllString(format, ""), "dmhysDMHYS")
}

// readTexts reads the texts that cells refer to by number.
func (b *workbook) readTexts(archive *zip.Reader, room *Room) error {
	f := fileOfArchive(archive, "xl/sharedStrings.xml")
	if f == nil {
		return nil
	}
	counted := &textCounter{}
	if err := unpack(f, counted); err != nil {
		return err
	}
	var err error
	if b.release, err = room.take(counted.bytes + counted.texts*textOverhead); err != nil {
		b.release = func() {}
		return err
	}
	b.texts = make([]string, 0, counted.texts)
	return readXML(archive, f.Name, func(t *xmlTokens, e *xml.StartElement) error {
		if e.Name.Local != "si" {
			return nil
		}
		text, err := t.text(maxCell)
		b.texts = append(b.texts, text)
		return err
	})
}

// textOverhead is the memory of a text in addition to its bytes.
const textOverhead = 32

// textCounter counts the bytes of a document and, roughly, its texts.
type textCounter struct{ bytes, texts int64 }

func (c *textCounter) Write(p []byte) (int, error) {
	c.bytes += int64(len(p))
	c.texts += int64(bytes.Count(p, []byte("<si")))
	return len(p), nil
}

// unpack reads a file of an archive to its end, so that one that is damaged is refused before any of it is taken.
func unpack(f *zip.File, into io.Writer) error {
	in, err := f.Open()
	if err != nil {
		return damaged("XLSX", err)
	}
	defer in.Close()
	if _, err := io.Copy(into, in); err != nil {
		return damaged("XLSX", err)
	}
	return nil
}

// readXML goes through a file of an archive: each is called at the start of every element.
func readXML(archive *zip.Reader, name string, each func(*xmlTokens, *xml.StartElement) error) error {
	f := fileOfArchive(archive, name)
	if f == nil {
		return damaged("XLSX", fmt.Errorf("it has no %s", name))
	}
	in, err := f.Open()
	if err != nil {
		return damaged("XLSX", err)
	}
	defer in.Close()
	t := newXMLTokens(in)
	for {
		token, err := t.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if e, is := token.(xml.StartElement); is {
			if err := each(t, &e); err != nil {
				return err
			}
		}
	}
}

// attribute returns an attribute of an element by its local name.
func attribute(e *xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// xmlTokens reads the tokens of a document, each of a bounded length, and elements nested to a bounded depth.
type xmlTokens struct {
	decoder *xml.Decoder
	in      *tokenReader
	depth   int
}

// tokenReader bounds how much is read for one token of a document: left is set before each.
type tokenReader struct {
	in   io.Reader
	left int
	most int
}

// errTooLong is that one token of a document is longer than is read.
var errTooLong = errors.New("it is longer than is read")

func (r *tokenReader) Read(p []byte) (int, error) {
	if r.left <= 0 {
		return 0, fmt.Errorf("a value in it has more than %d bytes: %w", r.most, errTooLong)
	}
	n, err := r.in.Read(p[:min(len(p), r.left)])
	r.left -= n
	return n, err
}

func newXMLTokens(in io.Reader) *xmlTokens {
	bounded := &tokenReader{in: in, most: maxCell}
	return &xmlTokens{decoder: xml.NewDecoder(bounded), in: bounded}
}

// next returns the next token, valid until the one after it; io.EOF at the end of a document that is complete.
func (t *xmlTokens) next() (xml.Token, error) {
	t.in.left = maxCell + 1<<12 // the decoder reads ahead
	token, err := t.decoder.Token()
	switch token.(type) {
	case xml.StartElement:
		if t.depth++; t.depth > maxXMLDepth {
			return nil, damaged("XLSX", fmt.Errorf("its elements are nested more than %d deep", maxXMLDepth))
		}
	case xml.EndElement:
		t.depth--
	}
	var syntax *xml.SyntaxError
	switch {
	case err == nil || errors.Is(err, io.EOF):
		return token, err
	case errors.As(err, &syntax) && strings.Contains(syntax.Msg, "unexpected EOF"):
		return nil, damaged("XLSX", io.ErrUnexpectedEOF)
	}
	return nil, damaged("XLSX", err)
}

// text reads an element that has been opened to its end and returns its text: that of the elements t and v in it, without
// how it is pronounced.
func (t *xmlTokens) text(most int) (string, error) {
	var b strings.Builder
	outside := t.depth - 1
	taken, spoken := 0, 0 // the depth of an element whose text is taken, and of one that says how a text is pronounced
	for t.depth > outside {
		token, err := t.next()
		if err != nil {
			return "", notEnded(err)
		}
		switch e := token.(type) {
		case xml.StartElement:
			switch {
			case e.Name.Local == "rPh" && spoken == 0:
				spoken = t.depth
			case e.Name.Local == "t" && spoken == 0:
				taken = t.depth
			}
		case xml.EndElement:
			if t.depth < spoken {
				spoken = 0
			}
			taken = 0
		case xml.CharData:
			if taken != t.depth || taken == 0 {
				break
			}
			if b.Len()+len(e) > most {
				return "", fmt.Errorf("a cell holds a text of more than %d bytes, the most that is read", most)
			}
			b.Write(e)
		}
	}
	return b.String(), nil
}

// notEnded is the error of a document that ends in the middle.
func notEnded(err error) error {
	if errors.Is(err, io.EOF) {
		return damaged("XLSX", io.ErrUnexpectedEOF)
	}
	return err
}
