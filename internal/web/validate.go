package web

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"

	"vastspan/api"
	"vastspan/core/naming"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// prefix is where the HTTP interface is served.
const prefix = "/api/v1"

// validator checks requests against api/openapi.yaml: paths, parameters, and the bodies that are JSON.
// Files are not read here.
type validator struct {
	routes map[string]*operation // by method and path, as the engine writes it
	// questions are what is answered so many at a time; downloads the records that are taken away as files; uploads the files
	// of records that are sent.
	questions, downloads, uploads *gate
	slow                          slowest
}

// An operation is one of the document, with its limits.
type operation struct {
	routers.Route
	limits limits
}

// pathParameter is a parameter in a path of the document.
var pathParameter = regexp.MustCompile(`\{(\w+)\}`)

func newValidator() (*validator, error) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		return nil, err
	}
	if err := doc.Validate(context.Background(), openapi3.DisableExamplesValidation()); err != nil {
		return nil, err
	}
	doc.Security = nil // who calls is known before a request is looked at, and files are not read for it
	v := &validator{routes: map[string]*operation{}, questions: newGate(questionSlots, questionsEach, maxLine, patience),
		downloads: newGate(downloadSlots, downloadsEach, maxLine, patience), uploads: newGate(uploadSlots, uploadsEach, maxLine, patience)}
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			l, err := limitsOf(o)
			if err != nil {
				return nil, err
			}
			v.routes[method+" "+prefix+pathParameter.ReplaceAllString(path, ":$1")] = &operation{
				routers.Route{Spec: doc, Path: path, PathItem: item, Method: method, Operation: o}, l,
			}
		}
	}
	return v, nil
}

// check answers a request that the caller may not make or the document does not allow, and ends it.
func (v *validator) check(s *service.Service) gin.HandlerFunc {
	return func(c *gin.Context) {
		route := v.routes[c.Request.Method+" "+c.FullPath()]
		if route == nil || !permit(c, s, route.Operation.OperationID) {
			return
		}
		v.answer(c, route)
	}
}

// answer answers a request within the limits of its operation, and in its turn.
func (v *validator) answer(c *gin.Context, route *operation) {
	end := route.limits.bound(c)
	defer end()
	if !v.fits(c, &route.Route) {
		return
	}
	if route.limits.uploads {
		leave, err := v.uploads.enter(c.Request.Context(), callerOf(c))
		if err != nil {
			c.Header("Connection", "close") // what is left of the file is not read
			fail(c, err)
			return
		}
		defer leave()
	}
	if route.limits.heavy {
		g := v.questions
		if _, file := wanted(c); file && route.limits.streams {
			g = v.downloads
		}
		leave, err := g.enter(c.Request.Context(), callerOf(c))
		if err != nil {
			fail(c, err)
			return
		}
		defer leave()
		begun := time.Now()
		defer func() { v.slow.note(c, route.Operation.OperationID, time.Since(begun)) }()
	}
	c.Next()
}

// callerOf is whose turn a question is: an account's, or, where there are none, an address's.
func callerOf(c *gin.Context) string {
	if caller := access.From(c.Request.Context()); caller != nil && caller.Account != 0 {
		return "account " + caller.Name
	}
	return callerAddress(c)
}

// fits reports whether the document allows a request; else it is answered.
func (v *validator) fits(c *gin.Context, route *routers.Route) bool {
	params := map[string]string{}
	for _, p := range c.Params {
		params[p.Key] = p.Value
	}
	if address, err := url.PathUnescape(c.Request.URL.RequestURI()); err != nil || !refused.IsText(address) {
		badRequest(c, errors.New("the address holds characters that are not text: NUL, or bytes that are not UTF-8"))
		return false
	}
	if header := c.GetHeader("Accept"); !acceptable(header, route.Operation) {
		writeProblem(c, problem(http.StatusNotAcceptable, "not_acceptable", "Not acceptable",
			fmt.Sprintf("%s is not offered here; there are %s", header, strings.Join(accepted(route.Operation), ", "))))
		return false
	}
	if err := knownParameters(c, route); err != nil {
		fail(c, err)
		return false
	}
	isJSON := route.Operation.RequestBody != nil && route.Operation.RequestBody.Value.Content["application/json"] != nil
	if isJSON && c.ContentType() != "application/json" {
		writeProblem(
			c,
			problem(http.StatusUnsupportedMediaType, "unsupported_media_type", "Not JSON", "Expected a body of the type application/json."),
		)
		return false
	}
	body := c.Request.Body
	if isJSON {
		data, err := io.ReadAll(c.Request.Body)
		if err != nil {
			badRequest(c, err)
			return false
		}
		if !refused.IsTextJSON(data) {
			badRequest(c, errors.New("the body holds characters that are not text: NUL, or bytes that are not UTF-8"))
			return false
		}
		if trailing := afterJSON(data); trailing != "" {
			badRequest(c, fmt.Errorf("the body goes on after its JSON: %.40q", trailing))
			return false
		}
		data = bare(data, route.Operation.RequestBody.Value)
		c.Set(contentKey, data)
		c.Request.Body = io.NopCloser(bytes.NewReader(data))
		body = io.NopCloser(bytes.NewReader(data))
	}
	err := openapi3filter.ValidateRequest(c.Request.Context(), &openapi3filter.RequestValidationInput{
		Request: c.Request, PathParams: params, Route: route,
		Options: &openapi3filter.Options{ExcludeRequestBody: !isJSON, MultiError: false, SkipSettingDefaults: true},
	})
	c.Request.Body = body
	var syntax *openapi3filter.ParseError
	switch {
	case err == nil:
		return true
	case errors.As(err, &syntax) && isJSON && syntax.Path() == nil:
		badRequest(c, fmt.Errorf("the body is not JSON: %w", cmp.Or(syntax.RootCause(), err)))
	default:
		invalidRequest(c, err)
	}
	return false
}

// knownParameters refuses parameters of an address that the document does not have: a misspelt one would do nothing in silence.
func knownParameters(c *gin.Context, route *routers.Route) error {
	given := c.Request.URL.Query()
	if len(given) == 0 {
		return nil
	}
	var known []string
	for _, list := range []openapi3.Parameters{route.PathItem.Parameters, route.Operation.Parameters} {
		for _, p := range list {
			if p.Value.In == openapi3.ParameterInQuery {
				known = append(known, p.Value.Name)
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(given)) {
		if slices.Contains(known, name) {
			continue
		}
		text := fmt.Sprintf("there is no parameter %q here", name)
		if near := naming.Nearest(name, known); near != "" {
			text += fmt.Sprintf("; did you mean %s?", near)
		} else if len(known) > 0 {
			text += "; there are " + strings.Join(known, ", ")
		}
		return &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/" + name, Err: errors.New(text)}
	}
	return nil
}

// bare returns the definition of a body that has it as answers do, under the key definition, so that what was read can be sent
// back. Other bodies are returned as they are.
func bare(data []byte, body *openapi3.RequestBody) []byte {
	if !strings.HasSuffix(body.Content["application/json"].Schema.Ref, "Definition") {
		return data
	}
	var wrapped struct {
		Definition json.RawMessage `json:"definition"`
	}
	if json.Unmarshal(data, &wrapped) != nil || !bytes.HasPrefix(bytes.TrimSpace(wrapped.Definition), []byte("{")) {
		return data
	}
	return wrapped.Definition
}

// afterJSON returns what follows the first value of a body.
func afterJSON(data []byte) string {
	d := json.NewDecoder(bytes.NewReader(data))
	var value json.RawMessage
	if d.Decode(&value) != nil {
		return "" // it is told elsewhere
	}
	return strings.TrimSpace(string(data[d.InputOffset():]))
}

// quotedValue writes a value that came in an address.
func quotedValue(v any) string { return strconv.Quote(fmt.Sprint(v)) }

// reasonOf words what a value may be, where the validator's own words are about schemas.
func reasonOf(e *openapi3.SchemaError) string {
	switch s := e.Schema; {
	case e.SchemaField == "maxItems" && s.MaxItems != nil:
		return fmt.Sprintf("at most %d may be given", *s.MaxItems)
	case e.SchemaField == "minItems":
		return fmt.Sprintf("at least %d has to be given", s.MinItems)
	case e.SchemaField == "maximum" && s.Max != nil:
		return fmt.Sprintf("at most %v is allowed", *s.Max)
	case e.SchemaField == "minimum" && s.Min != nil:
		return fmt.Sprintf("at least %v is expected", *s.Min)
	case e.SchemaField == "maxLength" && s.MaxLength != nil:
		return fmt.Sprintf("at most %d characters are allowed", *s.MaxLength)
	}
	return e.Reason
}

// unknownProperty is how the validator words a key that the document does not have.
var unknownProperty = regexp.MustCompile(`^property "(.*)" is unsupported$`)

// invalidRequest answers a request that the document does not allow.
func invalidRequest(c *gin.Context, err error) {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		badRequest(c, err)
		return
	}
	p := problem(http.StatusUnprocessableEntity, "invalid", "Invalid request", "")
	var request *openapi3filter.RequestError
	var schema *openapi3.SchemaError
	switch {
	case errors.As(err, &schema):
		pointer := ""
		if parts := schema.JSONPointer(); len(parts) > 0 {
			pointer = "/" + strings.Join(parts, "/")
		}
		p.Detail = reasonOf(schema)
		if errors.As(err, &request) && request.Parameter != nil {
			pointer = "/" + request.Parameter.Name
		}
		if unknown := unknownProperty.FindStringSubmatch(schema.Reason); unknown != nil {
			pointer += "/" + unknown[1]
		}
		if pointer != "" {
			p.Pointer = &pointer
			p.Detail = strings.TrimPrefix(pointer, "/") + ": " + reasonOf(schema)
		}
	case errors.As(err, &request):
		if p.Detail = request.Reason; request.Parameter != nil {
			pointer := "/" + request.Parameter.Name
			p.Pointer = &pointer
			p.Detail = request.Parameter.Name + ": " + request.Reason
		}
		var value *openapi3filter.ParseError
		switch {
		case errors.As(request.Err, &value) && request.Parameter != nil:
			p.Detail = fmt.Sprintf("%s: %v is not of the type %s", request.Parameter.Name, quotedValue(value.Value),
				strings.Join(request.Parameter.Schema.Value.Type.Slice(), " or "))
		case errors.Is(request.Err, openapi3filter.ErrInvalidRequired) && request.Parameter == nil:
			p.Detail = "the request needs a body"
		case request.Err != nil:
			p.Detail += ": " + request.Err.Error()
		}
	default:
		p.Detail = err.Error()
	}
	writeProblem(c, p)
}
