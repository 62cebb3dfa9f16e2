package cli

import (
	"context"
	"net"
	"net/url"

	"vastspan/internal/service"
	"vastspan/internal/signon"
	"vastspan/internal/web"
)

// beyond reports whether the service may listen beyond loopback: callers have to sign in, browsers know its address, and what they
// send is read by nobody on the way.
func (s *serving) beyond() bool {
	return s.accounts && s.publicURL != "" && (s.tls != nil || len(s.proxies) > 0)
}

// settings says how the service is served.
func (s *serving) settings() (*web.Settings, error) {
	o := &web.Settings{Version: Version(), LogRequests: s.logRequests, TrustedProxies: s.proxies}
	if s.publicURL == "" {
		return o, nil
	}
	u, err := url.Parse(s.publicURL)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || u.Path != "" && u.Path != "/" || u.RawQuery != "" {
		return nil, usagef("--public-url %q: expected an address without a path, such as https://reports.example", s.publicURL)
	}
	if u.Scheme == "http" && checkSecret(s.publicURL) != nil {
		return nil, usagef("--public-url %q: expected https: passwords would be read on the way", s.publicURL)
	}
	o.PublicURL = u
	return o, nil
}

// provider returns the provider of single sign-on, nil where none is configured.
func (s *serving) provider(l net.Listener) (*signon.Provider, error) {
	if s.signOn == nil {
		return nil, nil
	}
	return signon.Configure(*s.signOn, s.base(l)+web.ReturnPath)
}

// auditFile opens what the audit is written away to; nil for nothing.
func (a *app) auditFile(ctx context.Context, s *serving, svc *service.Service) (*service.AuditFile, error) {
	switch s.auditTo {
	case "":
		return nil, nil
	case "-":
		return svc.Audit.AuditTo(ctx, a.err)
	}
	return service.OpenAuditFile(s.auditTo)
}
