// Package standin is a small OpenID Connect provider for tests: it lets in at once whoever it is told to, and checks what a real
// one checks of the code flow with PKCE.
package standin

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// The client that it knows.
const (
	ClientID = "vast-span"
	Secret   = "kept between the two"
)

// A Provider is one that runs. Claims are what it says of who signs on next; the fields may be changed between two.
type Provider struct {
	*httptest.Server
	mu     sync.Mutex
	Claims map[string]any
	// Refuses is the error with which it sends the next one back; empty for none. WrongNonce and WrongKey spoil what it says.
	Refuses              string
	WrongNonce, WrongKey bool
	key, otherKey        *rsa.PrivateKey
	codes                map[string]request
}

// A request is that somebody was sent here.
type request struct {
	nonce, challenge, back string
	claims                 map[string]any
}

// bits is the length of its keys.
const bits = 2048

// New starts a provider; Close has to follow.
func New() (*Provider, error) {
	p := &Provider{codes: map[string]request{}}
	var err error
	if p.key, err = rsa.GenerateKey(rand.Reader, bits); err == nil {
		p.otherKey, err = rsa.GenerateKey(rand.Reader, bits)
	}
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", p.describe)
	mux.HandleFunc("GET /keys", p.keys)
	mux.HandleFunc("GET /authorize", p.authorize)
	mux.HandleFunc("POST /token", p.token)
	p.Server = httptest.NewServer(mux)
	return p, nil
}

// Set changes what it does next.
func (p *Provider) Set(change func(*Provider)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	change(p)
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body) // the test sees what has not arrived
}

func (p *Provider) describe(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize", "token_endpoint": p.URL + "/token", "jwks_uri": p.URL + "/keys",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
		"id_token_signing_alg_values_supported": []string{"RS256"}, "code_challenge_methods_supported": []string{"S256"},
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	key := jose.JSONWebKey{Key: &p.key.PublicKey, KeyID: "one", Algorithm: "RS256", Use: "sig"}
	answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{key}})
}

// authorize sends a browser straight back, with a code.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	q := r.URL.Query()
	back, err := url.Parse(q.Get("redirect_uri"))
	if err != nil || q.Get("client_id") != ClientID || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" {
		http.Error(w, "this is no request of the code flow with PKCE", http.StatusBadRequest)
		return
	}
	to := url.Values{"state": {q.Get("state")}}
	if p.Refuses != "" {
		to.Set("error", p.Refuses)
	} else {
		code := rand.Text()
		p.codes[code] = request{q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), p.Claims}
		to.Set("code", code)
	}
	back.RawQuery = to.Encode()
	http.Redirect(w, r, back.String(), http.StatusFound)
}

// token answers a code with an identity, once.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	id, secret, ok := r.BasicAuth()
	if !ok {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	if unescaped, err := url.QueryUnescape(secret); err == nil {
		secret = unescaped
	}
	code := r.PostFormValue("code")
	asked, known := p.codes[code]
	delete(p.codes, code)
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	switch {
	case id != ClientID || secret != Secret:
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	case !known || asked.back != r.PostFormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != asked.challenge:
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	token, err := p.sign(asked)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 60, "id_token": token})
}

// sign says who somebody is.
func (p *Provider) sign(asked request) (string, error) {
	if asked.claims["sub"] == nil {
		return "", errors.New("nobody is said to sign on")
	}
	key := p.key
	if p.WrongKey {
		key = p.otherKey
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: key, KeyID: "one"}}, nil)
	if err != nil {
		return "", err
	}
	claims := map[string]any{
		"iss": p.URL, "aud": ClientID, "iat": time.Now().Unix(), "exp": time.Now().Add(time.Minute).Unix(), "nonce": asked.nonce,
	}
	for name, value := range asked.claims {
		claims[name] = value
	}
	if p.WrongNonce {
		claims["nonce"] = rand.Text()
	}
	body, err := json.Marshal(claims)
	if err != nil {
		return "", err
	}
	signed, err := signer.Sign(body)
	if err != nil {
		return "", err
	}
	return signed.CompactSerialize()
}
