package web

import (
	"context"
	"fmt"
	"mime"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/measure"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// handlers answers the routes of api/openapi.yaml.
type handlers struct {
	service  *service.Service
	settings *Settings
	slow     *slowest
	since    time.Time // when it was started
}

var _ server.Handlers = (*handlers)(nil)

// or returns what a pointer points to, or the zero value.
func or[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// optional returns a pointer to a value, nil for the zero value.
func optional[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

// each turns every element of a list.
func each[T, U any](list []T, turn func(*T) U) []U {
	out := make([]U, len(list))
	for i := range list {
		out[i] = turn(&list[i])
	}
	return out
}

// defaultLimit is how many items a page has where nothing is said.
const defaultLimit = 200

// paging reads which part of a list is wanted.
func paging(limit *types.LimitParam, after *types.AfterParam) service.Paging {
	p := service.Paging{Limit: defaultLimit, After: or(after)}
	if limit != nil {
		p.Limit = *limit
	}
	return p
}

// etag writes a version as an entity tag.
func etag(version int64) *string {
	tag := `"` + strconv.FormatInt(version, 10) + `"`
	return &tag
}

// matched reads the version that a change names. Without one the change is refused, but where it may be
// left out.
func matched(tag *types.IfMatchParam, optional bool) (int64, error) {
	if tag == nil || *tag == "*" {
		if optional || tag != nil {
			return service.AnyVersion, nil
		}
		return 0, &refused.Error{Kind: refused.Required, Code: refused.CodeIfMatch,
			Err: fmt.Errorf("say in If-Match which version is changed: the ETag that it came with")}
	}
	text := strings.Trim(strings.TrimPrefix(*tag, "W/"), `"`)
	version, err := strconv.ParseInt(text, 10, 64)
	if err != nil || version < 1 {
		return 0, refused.Wrongf("If-Match: %s is not an ETag of this service", *tag)
	}
	return version, nil
}

// wantsSafeCells reports whether a request asks for CSV whose cells no spreadsheet takes for formulas.
func wantsSafeCells(ctx context.Context) bool {
	c, ok := ctx.(*gin.Context)
	if !ok {
		return false
	}
	for one := range strings.SplitSeq(c.GetHeader("Accept"), ",") {
		kind, parameters, err := mime.ParseMediaType(one)
		if err == nil && kind == "text/csv" {
			return parameters["cells"] == "safe"
		}
	}
	return false
}

func (h *handlers) GetStatus(ctx context.Context, _ server.GetStatusRequestObject) (server.GetStatusResponseObject, error) {
	if err := h.service.Ping(ctx); err != nil {
		return nil, err
	}
	l, err := h.service.Definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	return server.GetStatus200JSONResponse{
		Version: h.settings.Version,
		Zone:    h.service.Zone().String(),
		Today:   h.service.Today(), DayStarts: h.service.DayStarts().String(),
		Revision: l.Revision(), Figures: each(measure.All(), figureKind), Derivations: each(measure.Derivations(), derivation),
	}, nil
}

func figureKind(e *measure.Entry) types.FigureKind {
	return types.FigureKind{
		Kind: string(e.Kind), Words: e.Words, OfColumn: e.OfColumn(), AnyType: e.AnyType, Pair: e.Pair, AddsUp: e.Share,
	}
}

func derivation(d *measure.Derived) types.Derivation {
	return types.Derivation{Derivation: string(d.Derivation), Help: d.Help}
}
