package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/gin-gonic/gin"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

func (h *handlers) ListDatasets(ctx context.Context, r server.ListDatasetsRequestObject) (server.ListDatasetsResponseObject, error) {
	page, err := h.service.Datasets.List(ctx, paging(r.Params.Limit, r.Params.After))
	return server.ListDatasets200JSONResponse{Items: each(page.Items, toDataset), Next: optional(page.Next)}, err
}

func (h *handlers) GetDataset(ctx context.Context, r server.GetDatasetRequestObject) (server.GetDatasetResponseObject, error) {
	d, err := h.service.Datasets.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return server.GetDataset200JSONResponse{Body: toDataset(d), Headers: server.GetDataset200ResponseHeaders{ETag: etag(d.ETag())}}, nil
}

func (h *handlers) DescribeDataset(
	ctx context.Context,
	r server.DescribeDatasetRequestObject,
) (server.DescribeDatasetResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	d, err := h.service.Datasets.Describe(ctx, r.Name, description(r.Body), from)
	if err != nil {
		return nil, err
	}
	return server.DescribeDataset200JSONResponse{
		Body:    toDataset(d),
		Headers: server.DescribeDataset200ResponseHeaders{ETag: etag(d.ETag())},
	}, nil
}

func (h *handlers) RemoveDataset(ctx context.Context, r server.RemoveDatasetRequestObject) (server.RemoveDatasetResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	return server.RemoveDataset204Response{}, h.service.Datasets.Remove(ctx, r.Name, from, or(r.Params.Anyway))
}

func (h *handlers) ListDatasetUsers(
	ctx context.Context,
	r server.ListDatasetUsersRequestObject,
) (server.ListDatasetUsersResponseObject, error) {
	users, err := h.service.Datasets.Users(ctx, r.Name)
	return server.ListDatasetUsers200JSONResponse{Items: append([]string{}, users...)}, err
}

func (h *handlers) RenameDataset(ctx context.Context, r server.RenameDatasetRequestObject) (server.RenameDatasetResponseObject, error) {
	from, err := matched(r.Params.IfMatch, true)
	if err != nil {
		return nil, err
	}
	d, carried, err := h.service.Renames.Dataset(ctx, r.Name, r.Body.Name, from, access.Author(ctx))
	if err != nil {
		return nil, err
	}
	return server.RenameDataset200JSONResponse{
		Body:    types.Renamed{Name: d.Name, Carried: append([]string{}, carried...)},
		Headers: server.RenameDataset200ResponseHeaders{ETag: etag(d.ETag())},
	}, nil
}

func (h *handlers) PreviewLoad(ctx context.Context, r server.PreviewLoadRequestObject) (server.PreviewLoadResponseObject, error) {
	f := file(
		r.Name,
		types.LoadFileParams{
			Date:         r.Params.Date,
			Amount:       r.Params.Amount,
			Category:     r.Params.Category,
			Detail:       r.Params.Detail,
			Zone:         r.Params.Zone,
			DayStarts:    r.Params.DayStarts,
			DateOrder:    r.Params.DateOrder,
			Numbers:      r.Params.Numbers,
			Ambiguous:    r.Params.Ambiguous,
			Epoch:        r.Params.Epoch,
			Century:      r.Params.Century,
			AllowUndated: r.Params.AllowUndated,
			Grain:        r.Params.Grain,
			Omit:         r.Params.Omit,
			Type:         r.Params.Type,
			Format:       r.Params.Format,
			Delimiter:    r.Params.Delimiter,
			Encoding:     r.Params.Encoding,
			Sheet:        r.Params.Sheet,
			HeaderRow:    r.Params.HeaderRow,
			SkipFooter:   r.Params.SkipFooter,
			Blank:        r.Params.Blank,
			Trim:         r.Params.Trim,
			File:         r.Params.File,
		},
	)
	if err := body(ctx, r.Body, &f); err != nil {
		return nil, err
	}
	p, err := h.service.Datasets.Preview(ctx, f)
	if err != nil {
		return nil, err
	}
	samples := p.Samples
	if samples == nil {
		samples = [][]string{}
	}
	return server.PreviewLoad200JSONResponse{
		Exists:      p.Exists,
		Written:     toWritten(p.Written),
		Grain:       optional(p.Schema.Grain),
		Zone:        p.Schema.Zone,
		DayStarts:   optional(p.Schema.DayStarts),
		Columns:     p.Schema.Columns,
		Samples:     samples,
		Sampled:     p.Sampled,
		Faults:      each(p.Faults, toFault),
		Suggestions: toSuggestions(p.Suggestions),
		Remarks:     toRemarks(p.Remarks),
	}, nil
}

func (h *handlers) LoadFile(ctx context.Context, r server.LoadFileRequestObject) (server.LoadFileResponseObject, error) {
	f := file(r.Name, r.Params)
	f.Author = access.Author(ctx)
	if err := body(ctx, r.Body, &f); err != nil {
		return nil, err
	}
	l, err := h.service.Datasets.Load(ctx, f)
	if err != nil {
		return nil, err
	}
	location := fmt.Sprintf(prefix+"/datasets/%s/loads/%d", r.Name, l.ID)
	if l.Repeated {
		return server.LoadFile200JSONResponse{Body: toLoad(l), Headers: server.LoadFile200ResponseHeaders{Location: &location}}, nil
	}
	return server.LoadFile201JSONResponse{Body: toLoad(l), Headers: server.LoadFile201ResponseHeaders{Location: &location}}, nil
}

func (h *handlers) ListLoads(ctx context.Context, r server.ListLoadsRequestObject) (server.ListLoadsResponseObject, error) {
	page, err := h.service.Datasets.Loads(ctx, r.Name, paging(r.Params.Limit, r.Params.After))
	return server.ListLoads200JSONResponse{Items: each(page.Items, toLoad), Next: optional(page.Next)}, err
}

func (h *handlers) GetLoad(ctx context.Context, r server.GetLoadRequestObject) (server.GetLoadResponseObject, error) {
	l, err := h.service.Datasets.GetLoad(ctx, r.Name, r.Load)
	if err != nil {
		return nil, err
	}
	return server.GetLoad200JSONResponse(toLoad(l)), nil
}

func (h *handlers) UndoLoad(ctx context.Context, r server.UndoLoadRequestObject) (server.UndoLoadResponseObject, error) {
	l, err := h.service.Datasets.UndoLoad(ctx, r.Name, r.Load)
	if err != nil {
		return nil, err
	}
	return server.UndoLoad200JSONResponse(toLoad(l)), nil
}

func (h *handlers) RedoLoad(ctx context.Context, r server.RedoLoadRequestObject) (server.RedoLoadResponseObject, error) {
	l, err := h.service.Datasets.RedoLoad(ctx, r.Name, r.Load)
	if err != nil {
		return nil, err
	}
	return server.RedoLoad200JSONResponse(toLoad(l)), nil
}

func (h *handlers) RestoreDataset(ctx context.Context, r server.RestoreDatasetRequestObject) (server.RestoreDatasetResponseObject, error) {
	d, err := h.service.Datasets.Restore(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return server.RestoreDataset200JSONResponse(toDataset(d)), nil
}

func (h *handlers) ListRemovedDatasets(
	ctx context.Context, _ server.ListRemovedDatasetsRequestObject,
) (server.ListRemovedDatasetsResponseObject, error) {
	list, err := h.service.Datasets.Removed(ctx)
	return server.ListRemovedDatasets200JSONResponse{Items: each(list, func(d *service.RemovedDataset) types.RemovedDataset {
		return types.RemovedDataset{Name: d.Name, RemovedAt: d.RemovedAt, RemovedBy: d.RemovedBy, Until: d.Until}
	})}, err
}

func (h *handlers) VerifyDataset(ctx context.Context, r server.VerifyDatasetRequestObject) (server.VerifyDatasetResponseObject, error) {
	v, err := h.service.Datasets.Verify(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return server.VerifyDataset200JSONResponse{
		Records: v.Records, Sums: v.Sums, Files: v.Files, Wrong: v.Wrong,
	}, nil
}

func (h *handlers) ListValues(ctx context.Context, r server.ListValuesRequestObject) (server.ListValuesResponseObject, error) {
	values, err := h.service.Datasets.Values(ctx, r.Name, r.Params.Column)
	if err != nil {
		return nil, err
	}
	return server.ListValues200JSONResponse{Items: each(values, func(v *service.CategoryValue) types.CategoryValue {
		return types.CategoryValue{Value: v.Value, Records: v.Records}
	})}, nil
}

// file reads what is stated about a file.
func file(name string, p types.LoadFileParams) service.File {
	f := service.File{
		Dataset:      name,
		Name:         or(p.File),
		AllowUndated: or(p.AllowUndated),
		Once:         or(p.IdempotencyKey),
		Hints: service.ColumnHints{
			Date: or(p.Date), Amounts: or(p.Amount), Categories: or(p.Category), Details: or(p.Detail), Zone: or(p.Zone), DayStarts: or(p.DayStarts),
			DateOrder: dataset.DateOrder(or(p.DateOrder)), Numbers: or(p.Numbers),
			Ambiguous: dataset.Ambiguous(or(p.Ambiguous)), Epoch: dataset.Epoch(or(p.Epoch)), Century: or(p.Century),
			Grain: or(p.Grain), Types: or(p.Type),
			Blanks: or(p.Blank), Trim: or(p.Trim),
		},
		Omit: or(p.Omit), Replace: or(p.Replace), AsOf: or(p.AsOf), Key: or(p.Key), Again: or(p.Again),
		Options: service.FileOptions{
			Format: or(p.Format), Delimiter: or(p.Delimiter), Encoding: or(p.Encoding), Sheet: or(p.Sheet), HeaderRow: or(p.HeaderRow),
			SkipFooter: or(p.SkipFooter),
		},
	}
	if f.Name == "" {
		f.Name = "(unnamed)"
	}
	return f
}

// maxFileName is how long the name of a file may be, in bytes, as in the parameter file.
const maxFileName = 400

// body sets the contents of the file of a request, or of several that are sent as parts.
func body(ctx context.Context, plain io.Reader, f *service.File) error {
	f.Body = plain
	c, ok := ctx.(*gin.Context)
	if !ok || c.ContentType() != "multipart/form-data" {
		return nil
	}
	parts, err := c.Request.MultipartReader()
	if err != nil {
		return refused.Wrongf("the body: %v", err)
	}
	next := func() (service.NamedFile, error) {
		part, err := parts.NextPart()
		if err != nil {
			return service.NamedFile{}, err
		}
		name := cmp.Or(part.FileName(), part.FormName())
		if len(name) > maxFileName {
			return service.NamedFile{}, refused.Wrongf("the name of a file has %d bytes: at most %d", len(name), maxFileName)
		}
		return service.NamedFile{Name: name, Body: part}, nil
	}
	first, err := next()
	if errors.Is(err, io.EOF) {
		return refused.Wrongf("the body has no parts: expected files")
	}
	if err != nil && service.IsRefusal(err) {
		return err
	}
	if err != nil {
		return refused.Wrongf("the body: %v", err)
	}
	f.Name, f.Body, f.More = cmp.Or(first.Name, f.Name), first.Body, next
	return nil
}

func toWritten(w service.Written) types.Written {
	return types.Written{
		Format: w.Format, Compression: optional(w.Compression), Delimiter: optional(w.Delimiter), Encoding: optional(w.Encoding),
		Sheet: optional(w.Sheet), HeaderRow: optional(w.HeaderRow),
	}
}

// description reads what is said about a dataset.
func description(r *types.DatasetDescription) service.Description {
	var d service.Description
	if r.Grain != nil {
		grain := string(*r.Grain)
		d.Grain = &grain
	}
	if r.NoRecords != nil {
		means := string(*r.NoRecords)
		d.NoRecords = &means
	}
	if d.Expected = r.Expected; r.NewestDay != nil {
		is := string(*r.NewestDay)
		d.NewestDay = &is
	}
	for _, c := range or(r.Columns) {
		one := service.ColumnDescription{Name: c.Name, Unit: c.Unit, Decimals: c.Decimals}
		if c.Type != nil {
			kind := dataset.Type(*c.Type)
			one.Type = &kind
		}
		if c.Role != nil {
			role := dataset.Role(*c.Role)
			one.Role = &role
		}
		if c.Better != nil {
			b := dataset.Better(*c.Better)
			if *c.Better == types.Neither {
				b = dataset.Neither
			}
			one.Better = &b
		}
		d.Columns = append(d.Columns, one)
	}
	return d
}

func toDataset(d *service.Dataset) types.Dataset {
	out := types.Dataset{
		Name: d.Name, Zone: d.Schema.Zone, DayStarts: optional(d.Schema.DayStarts), Columns: d.Schema.Columns,
		Records: d.Records + d.Undated, Undated: d.Undated,
		Version: d.Version, Described: d.Described, CreatedAt: d.CreatedAt, Numbers: optional(d.Schema.Numbers), Grain: optional(d.Schema.Grain),
		DateOrder: optional(string(d.Schema.DateOrder)), NoRecords: types.DatasetNoRecordsBlank,
		Ambiguous: optional(string(d.Schema.Ambiguous)), Epoch: optional(string(d.Schema.Epoch)), Century: optional(d.Schema.Century),
	}
	if d.Schema.NoRecords == dataset.MeansZero {
		out.NoRecords = types.DatasetNoRecordsZero
	}
	if d.Schema.NewestDay == dataset.NewestPartial {
		partial := types.DatasetNewestDayPartial
		out.NewestDay = &partial
	}
	out.Expected = optional(d.Schema.Expected)
	out.Oldest, out.Newest = coveredDays(d.Coverage)
	if t := d.Attached; t != nil {
		out.Attached = &types.Attached{Database: t.Database, Engine: d.Engine, Table: t.Name, Key: optional(t.Key)}
		if names := t.Inexact(); len(names) > 0 {
			out.Attached.Floating = &names
		}
		out.Trouble = optional(d.Trouble)
	}
	if d.MinRecords > 0 {
		least := int64(d.MinRecords)
		out.MinRecords, out.TotalsBy = &least, optional(d.TotalsBy)
		out.Records, out.Undated = d.Records, 0 // how many have no date may be few
	}
	return out
}

func coveredDays(c tally.Coverage) (oldest, newest *civil.Day) {
	if c.Records == 0 {
		return nil, nil
	}
	return &c.Oldest, &c.Newest
}

// toRemarks returns remarks; nil where there is none.
func toRemarks(list []service.Remark) *[]types.Remark {
	if len(list) == 0 {
		return nil
	}
	remarks := each(list, func(r *service.Remark) types.Remark {
		one := types.Remark{Code: r.Code, Column: optional(r.Column), Text: r.Text}
		if r.Suggestion != nil {
			one.Suggestion = &types.Suggestion{Option: r.Suggestion.Option, Value: r.Suggestion.Value}
		}
		return one
	})
	return &remarks
}

func toLoad(l *service.Load) types.Load {
	out := types.Load{
		Id:       l.ID,
		File:     l.File,
		Author:   l.Author,
		Records:  l.Records,
		Undated:  l.Undated,
		Mode:     types.LoadMode(l.Mode),
		Replaced: l.Replaced,
		LoadedAt: l.LoadedAt,
		UndoneAt: l.UndoneAt,
		Remarks:  toRemarks(l.Remarks),
	}
	if l.Kept {
		out.Kept = &l.Kept
	}
	if l.Oldest != nil && l.Newest != nil {
		oldest, newest := service.DayOf(*l.Oldest), service.DayOf(*l.Newest)
		out.Oldest, out.Newest = &oldest, &newest
	}
	return out
}

func toSuggestions(list map[string]service.Suggestion) *map[string]types.Suggestion {
	if len(list) == 0 {
		return nil
	}
	out := map[string]types.Suggestion{}
	for column, s := range list {
		out[column] = types.Suggestion(s)
	}
	return &out
}

func toFault(f *service.Fault) types.Fault {
	out := types.Fault{
		File: optional(f.File), Line: f.Line, Column: optional(f.Column), Value: optional(f.Value), Expected: f.Expected,
		Count: f.Count, Lines: f.Lines,
	}
	if f.Suggestion != nil {
		out.Suggestion = &types.Suggestion{Option: f.Suggestion.Option, Value: f.Suggestion.Value}
	}
	return out
}

func (h *handlers) AttachTable(ctx context.Context, r server.AttachTableRequestObject) (server.AttachTableResponseObject, error) {
	b := r.Body
	d, err := h.service.Datasets.Attach(ctx, service.Attachment{
		Name: r.Name, Database: b.Database, Table: b.Table, Key: or(b.Key), Date: or(b.Date), Amounts: or(b.Amounts),
		Categories: or(b.Categories), Details: or(b.Details), Kept: or(b.Kept), Zone: or(b.Zone), DayStarts: or(b.DayStarts),
		Grain: or(b.Grain), NoRecords: string(or(b.NoRecords)),
	})
	if err != nil {
		return nil, err
	}
	location := prefix + "/datasets/" + d.Name
	return server.AttachTable201JSONResponse{
		Body:    toDataset(d),
		Headers: server.AttachTable201ResponseHeaders{ETag: etag(d.ETag()), Location: &location},
	}, nil
}

func (h *handlers) ListDatabases(
	_ context.Context, _ server.ListDatabasesRequestObject,
) (server.ListDatabasesResponseObject, error) {
	out := server.ListDatabases200JSONResponse{Items: []types.Database{}}
	for _, d := range h.service.Datasets.Databases() {
		out.Items = append(out.Items, types.Database{
			Name: d.Name, Engine: d.Engine, Address: d.Address(), TimeoutSeconds: float32(d.Timeout().Seconds()), Parallel: d.Parallel(),
		})
	}
	return out, nil
}

func (h *handlers) ListTables(ctx context.Context, r server.ListTablesRequestObject) (server.ListTablesResponseObject, error) {
	list, more, err := h.service.Datasets.Tables(ctx, r.Name)
	out := server.ListTables200JSONResponse{Items: []types.TableName{}, More: more}
	for _, t := range list {
		out.Items = append(out.Items, types.TableName{Table: t.Table, Kind: types.TableNameKind(t.Kind)})
	}
	return out, err
}

func (h *handlers) ListColumns(ctx context.Context, r server.ListColumnsRequestObject) (server.ListColumnsResponseObject, error) {
	list, err := h.service.Datasets.Columns(ctx, r.Name, r.Params.Table)
	out := server.ListColumns200JSONResponse{Items: []types.TableColumnLook{}}
	for _, c := range list {
		first := c.First
		if first == nil {
			first = []string{}
		}
		out.Items = append(out.Items, types.TableColumnLook{Name: c.Name, Declared: c.Declared,
			Type: types.TableColumnLookType(c.Form.Type()), Role: types.TableColumnLookRole(c.Role), First: first})
	}
	return out, err
}

func (h *handlers) TestDatabase(ctx context.Context, r server.TestDatabaseRequestObject) (server.TestDatabaseResponseObject, error) {
	version, err := h.service.Datasets.TestDatabase(ctx, r.Name)
	return server.TestDatabase200JSONResponse{Version: version}, err
}
