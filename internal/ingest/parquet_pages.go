package ingest

import (
	"bufio"
	"errors"
	"fmt"
	"io"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/snappy"
	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/encoding/thrift"
	"github.com/parquet-go/parquet-go/format"
	"github.com/pierrec/lz4/v4"
)

// A pageCheck goes through the pages of a Parquet file before they are read: the library makes room for as much as the
// header of a page states, and unpacks whatever its content unpacks to.
type pageCheck struct {
	file   *parquet.File
	in     io.ReaderAt
	room   *Room
	done   int    // groups that were checked
	held   int64  // bytes that were taken from the room, enough for every group until now
	letGo  func() // of them
	zstd   *zstd.Decoder
	unpack []byte
}

// maxPage is the size of a page, unpacked, in bytes.
const maxPage = 64 << 20

// readersOfGroup is how many parts of a group are read at a time.
const readersOfGroup = 4

// group checks the pages of a group that was not checked yet, and takes the memory that reading it needs.
func (p *pageCheck) group(group int) error {
	if group < p.done {
		return nil
	}
	need := int64(0)
	for _, chunk := range p.file.Metadata().RowGroups[group].Columns {
		largest, err := p.chunk(&chunk.MetaData)
		if err != nil {
			return err
		}
		need += largest
	}
	p.done = group + 1
	if need *= readersOfGroup; need <= p.held {
		return nil
	}
	p.release()
	letGo, err := p.room.take(need)
	if err != nil {
		return err
	}
	p.held, p.letGo = need, letGo
	return nil
}

// release gives the memory back.
func (p *pageCheck) release() {
	if p.letGo != nil {
		p.letGo()
	}
	p.held, p.letGo = 0, nil
}

// chunk goes through the pages of one column of a group and returns the memory that the largest two of them take together
// at most: a dictionary and a page of data.
func (p *pageCheck) chunk(c *format.ColumnMetaData) (largest int64, err error) {
	from := c.DataPageOffset
	if c.DictionaryPageOffset > 0 && c.DictionaryPageOffset < from {
		from = c.DictionaryPageOffset
	}
	if from < 0 || c.TotalCompressedSize < 0 {
		return 0, damaged("Parquet", errors.New("a column begins before the file"))
	}
	in := bufio.NewReaderSize(io.NewSectionReader(p.in, from, c.TotalCompressedSize), 1<<16)
	decoder := thrift.NewDecoder(new(thrift.CompactProtocol).NewReader(in))
	dictionary := int64(0)
	for values := int64(0); values < c.NumValues; {
		var header format.PageHeader
		if err := decoder.Decode(&header); err != nil {
			return 0, damaged("Parquet", fmt.Errorf("the header of a page: %w", unended(err)))
		}
		size, count, err := p.page(c, &header, in)
		if err != nil {
			return 0, err
		}
		// A value takes at most 16 bytes as it is read, in addition to its text.
		size += count * 16
		if header.Type == format.DictionaryPage {
			dictionary = max(dictionary, size)
			continue
		}
		values += count
		largest = max(largest, size)
	}
	return largest + dictionary, nil
}

// page checks one page after its header, and returns its size and how many values it has.
func (p *pageCheck) page(c *format.ColumnMetaData, header *format.PageHeader, in *bufio.Reader) (size, count int64, err error) {
	size = int64(header.UncompressedPageSize)
	if size < 0 || header.CompressedPageSize < 0 || size > maxPage || header.CompressedPageSize > maxPage {
		return 0, 0, tooLargePage(c)
	}
	levels := int32(0) // of a page of the second kind they are not packed
	packed := true
	switch {
	case header.DictionaryPageHeader.Valid:
		count = int64(header.DictionaryPageHeader.V.NumValues)
	case header.DataPageHeaderV2.Valid:
		v2 := &header.DataPageHeaderV2.V
		count, levels = int64(v2.NumValues), v2.RepetitionLevelsByteLength+v2.DefinitionLevelsByteLength
		packed = !v2.IsCompressed.Valid || v2.IsCompressed.V
	case header.DataPageHeader.Valid:
		count = int64(header.DataPageHeader.V.NumValues)
	}
	if count < 0 || levels < 0 || levels > header.CompressedPageSize {
		return 0, 0, damaged("Parquet", errors.New("the header of a page is not sensible"))
	}
	if !packed || c.Codec == format.Uncompressed {
		_, err = in.Discard(int(header.CompressedPageSize))
		return size, count, readPageError(err)
	}
	page := make([]byte, header.CompressedPageSize)
	if _, err := io.ReadFull(in, page); err != nil {
		return 0, 0, readPageError(err)
	}
	if !p.unpacksWithin(c.Codec, page[levels:], int(size)-int(levels)) {
		return 0, 0, tooLargePage(c)
	}
	return size, count, nil
}

func tooLargePage(c *format.ColumnMetaData) error {
	return fmt.Errorf("column %s: a page of the Parquet file has more than %d MB, or more than it states: write the file with smaller pages",
		c.PathInSchema, maxPage>>20)
}

func readPageError(err error) error {
	if err == nil {
		return nil
	}
	return damaged("Parquet", unended(err))
}

// unended is io.ErrUnexpectedEOF where something has ended too early.
func unended(err error) error {
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}

// unpacksWithin reports whether a page unpacks to at most so many bytes. What cannot be unpacked at all is found when it is
// read.
func (p *pageCheck) unpacksWithin(codec format.CompressionCodec, page []byte, size int) bool {
	if size < 0 {
		return false
	}
	var plain io.Reader
	var err error
	in := &sliceReader{page}
	switch codec {
	case format.Snappy:
		n, err := snappy.DecodedLen(page)
		return err != nil || n <= size
	case format.Lz4Raw:
		if cap(p.unpack) < size {
			p.unpack = make([]byte, size)
		}
		_, err := lz4.UncompressBlock(page, p.unpack[:size])
		return err == nil // what does not fit is no error of its own there
	case format.Gzip:
		plain, err = gzip.NewReader(in)
	case format.Brotli:
		plain = brotli.NewReader(in)
	case format.Zstd:
		if p.zstd == nil {
			p.zstd, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(maxPage), zstd.WithDecoderLowmem(true))
		}
		if err == nil {
			err = p.zstd.Reset(in)
			plain = p.zstd
		}
	default:
		return true // it is not read at all
	}
	if err != nil {
		return true
	}
	n, _ := io.Copy(io.Discard, io.LimitReader(plain, int64(size)+1)) // an error is found when it is read
	return n <= int64(size)
}

// sliceReader reads bytes, without more of the methods that decoders look for.
type sliceReader struct{ rest []byte }

func (r *sliceReader) Read(p []byte) (int, error) {
	if len(r.rest) == 0 {
		return 0, io.EOF
	}
	n := copy(p, r.rest)
	r.rest = r.rest[n:]
	return n, nil
}
