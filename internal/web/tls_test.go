package web

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// writeCertificate writes a certificate that signs itself, and its key.
func writeCertificate(t *testing.T, folder, name string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	template := &x509.Certificate{
		SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name}, NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	private, err := x509.MarshalECPrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	for file, block := range map[string]*pem.Block{"cert.pem": {Type: "CERTIFICATE", Bytes: der}, "key.pem": {Type: "EC PRIVATE KEY", Bytes: private}} {
		path := filepath.Join(folder, file)
		if err := os.WriteFile(path, pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
		at := time.Now().Add(time.Duration(len(name)) * time.Second) // whatever the clock of the files can tell apart
		if err := os.Chtimes(path, at, at); err != nil {
			t.Fatal(err)
		}
	}
}

// Answers over TLS are by the certificate that is in the files now; what cannot be read leaves the one before. Requests that are
// under way when the service stops are ended after a while.
func TestCertificatesAreReadAgain(t *testing.T) {
	folder := t.TempDir()
	file, key := filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	if _, err := Certificate(file, key); err == nil {
		t.Error("a certificate that is not there is taken")
	}
	writeCertificate(t, folder, "a")
	config, err := Certificate(file, key)
	if err != nil {
		t.Fatal(err)
	}
	l, err := Listen("127.0.0.1:0", false)
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	begun, ended := make(chan struct{}), make(chan error)
	go func() {
		ended <- Serve(ctx, l, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path == "/long" {
				close(begun)
				<-r.Context().Done()
			}
		}), Serving{TLS: config, StopWithin: 200 * time.Millisecond})
	}()
	name := func() string {
		t.Helper()
		conn, err := tls.Dial("tcp", l.Addr().String(), &tls.Config{InsecureSkipVerify: true})
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0].Subject.CommonName
	}
	if got := name(); got != "a" {
		t.Errorf("the certificate is %s", got)
	}
	writeCertificate(t, folder, "another")
	if got := name(); got != "another" {
		t.Errorf("the certificate is %s", got)
	}
	if err := os.WriteFile(key, []byte("no key"), 0o600); err != nil {
		t.Fatal(err)
	}
	if got := name(); got != "another" {
		t.Errorf("the certificate is %s", got)
	}
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}}
	gone := make(chan struct{})
	go func() {
		if r, err := client.Get("https://" + l.Addr().String() + "/long"); err == nil {
			r.Body.Close()
		}
		close(gone)
	}()
	<-begun
	stop()
	if err := <-ended; err != nil {
		t.Errorf("the service ended with %v", err)
	}
	<-gone
}
