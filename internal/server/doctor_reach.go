package server

import (
	"crypto/x509"
	"net"
	"net/url"
	"time"

	"examen/internal/post"
)

// soon is how long before its end a certificate is spoken of.
const soon = 14 * 24 * time.Hour

// door tells how learners would reach the service.
func (e *examination) door() {
	o := e.options
	public, err := o.Trust.Public()
	if err != nil {
		e.say("public URL", Bad, "mend --public-url", "%v", err)
	}
	config, err := o.TLS.config(o.DataDir, o.Log)
	host, port, wrong := net.SplitHostPort(o.Listen)
	address := net.ParseIP(host)
	alone := host == "localhost" || address != nil && address.IsLoopback()
	switch {
	case wrong != nil:
		e.say("address", Bad, "give --listen as HOST:PORT", "%v", wrong)
	case err != nil:
		e.say("TLS", Bad, "mend --tls-cert and --tls-key, or --acme-name", "%v", err)
	case len(o.TLS.Names) > 0 && port != "443":
		e.say("TLS", Doubtful, "listen on port 443, or have what comes there passed on as it is",
			"the ACME authority looks for the service on port 443, and it listens on %s", o.Listen)
	case len(o.TLS.Names) > 0:
		e.say("TLS", Good, "", "a certificate for %v is had by ACME", o.TLS.Names)
	case config != nil:
		e.certificate(public)
	case len(o.Trust.Proxies) > 0:
		e.say("TLS", Good, "", "the proxy at %v encrypts; the service listens on %s", o.Trust.Proxies, o.Listen)
	case alone:
		e.say("TLS", Good, "", "the service listens on %s, for this machine alone", o.Listen)
	default:
		e.say("TLS", Bad, "give --tls-cert and --tls-key, or --acme-name, or name the proxy with --trusted-proxy",
			"on %s other machines would send their passwords in plain text", o.Listen)
	}
	if public.Scheme == "http" && !alone {
		e.say("public URL", Doubtful, "encrypt, and give an address that begins with https",
			"%s is not encrypted", public.String())
	}
}

// certificate tells whether the certificate in files is good for the address by which the service is known.
func (e *examination) certificate(public url.URL) {
	c := &certificate{TLS: e.options.TLS, log: e.options.Log}
	pair, err := c.read()
	if err != nil {
		e.say("TLS", Bad, "mend --tls-cert and --tls-key", "%v", err)
		return
	}
	leaf, err := x509.ParseCertificate(pair.Certificate[0])
	if err != nil {
		e.say("TLS", Bad, "mend --tls-cert", "%v", err)
		return
	}
	const renew = "renew the certificate"
	until := leaf.NotAfter.Format("2006-01-02")
	switch left := time.Until(leaf.NotAfter); {
	case time.Now().Before(leaf.NotBefore):
		e.say("TLS", Bad, "look at the clock, or wait", "the certificate holds from %s on", leaf.NotBefore)
	case left < 0:
		e.say("TLS", Bad, renew, "the certificate ended on %s", until)
	case left < soon:
		e.say("TLS", Doubtful, renew, "the certificate ends on %s", until)
	default:
		e.say("TLS", Good, "", "the certificate for %v holds until %s", names(leaf), until)
	}
	if host := public.Hostname(); host != "" {
		if err := leaf.VerifyHostname(host); err != nil {
			e.say("TLS", Bad, "have a certificate for that name, or mend --public-url",
				"the certificate is for %v, and not for %s", names(leaf), host)
		}
	}
}

func names(c *x509.Certificate) (all []string) {
	all = append(all, c.DNSNames...)
	for _, address := range c.IPAddresses {
		all = append(all, address.String())
	}
	return all
}

// letters tells whether e-mail could be sent.
func (e *examination) letters() {
	o := e.options
	if o.MailServer == "" {
		return
	}
	if _, err := post.New(o.MailServer, o.MailFrom); err != nil {
		e.say("e-mail", Bad, "mend --mail-server and --mail-from", "%v", err)
		return
	}
	u, err := url.Parse(o.MailServer)
	if err != nil {
		return // said above
	}
	conn, err := net.DialTimeout("tcp", net.JoinHostPort(u.Hostname(), u.Port()), examinePatience)
	if err != nil {
		e.say("e-mail", Doubtful, "start the mail server, or mend --mail-server",
			"the mail server does not answer: %v", err)
		return
	}
	conn.Close()
	if o.Trust.PublicURL == "" {
		e.say("e-mail", Doubtful, "give --public-url",
			"links in e-mail lead to %s, which learners may not reach", o.Listen)
		return
	}
	e.say("e-mail", Good, "", "the mail server at %s answers", u.Host)
}
