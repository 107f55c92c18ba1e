package web

import (
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
)

// hosted lets requests in that are for a name of this server: a page elsewhere whose name was pointed here is none. Addresses,
// localhost, the machine's own name, and what was settled are. Under TLS browsers are told to come under TLS alone.
func hosted(opt Options, next http.Handler) http.Handler {
	names := append([]string{"localhost"}, opt.Hosts...)
	if own, err := os.Hostname(); err == nil {
		names = append(names, own)
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if opt.Secure {
			w.Header().Set("Strict-Transport-Security", "max-age=31536000")
		}
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.TrimSuffix(strings.Trim(host, "[]"), ".")
		if net.ParseIP(host) == nil && !slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, host) }) {
			http.Error(
				w,
				"Wobin does not go by this name here. Start it with --host "+safeHost(host)+" where it is to.",
				http.StatusMisdirectedRequest,
			)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// safeHost is a name as it can be told: letters, digits, dots and hyphens.
func safeHost(host string) string {
	return strings.Map(func(r rune) rune {
		if r == '.' || r == '-' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return -1
	}, host[:min(len(host), 100)])
}
