package service

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"net"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
)

const (
	cookieName  = "ropebench"
	cookieLasts = 30 * 24 * time.Hour
	linkLasts   = 12 * time.Hour
	maxLinks    = 1000
)

// refuseForeign refuses what this machine's user did not ask for: requests for a foreign host (a web page whose name was
// pointed at loopback), and requests made by a foreign page.
func (s *Service) refuseForeign(c fiber.Ctx) error {
	if !s.ownHost(string(c.Request().Host())) {
		return problem(fiber.StatusMisdirectedRequest, "this service answers to its own address only, not to %q: use %s", string(c.Request().Host()), s.URL())
	}
	if origin := c.Get("Origin"); origin != "" && !s.ownOrigin(origin) {
		return problem(fiber.StatusForbidden, "requests from pages of %s are refused", origin)
	}
	if site := c.Get("Sec-Fetch-Site"); site == "cross-site" || site == "same-site" {
		if c.Path() != openPath {
			return problem(fiber.StatusForbidden, "requests from pages of another site are refused")
		}
	}
	return c.Next()
}

// requireAccess lets nobody through without token or cookie.
func (s *Service) requireAccess(c fiber.Ctx) error {
	if !s.hasAccess(c) {
		return problem(fiber.StatusUnauthorized, "the token is missing or wrong: it is in the file %q of the data folder; for the console, get a fresh link with `ropebench link`", api.TokenFile)
	}
	return c.Next()
}

// prove answers a challenge, so that a client knows to whom it will say the token.
func (s *Service) prove(c fiber.Ctx) error {
	challenge := c.Query("challenge")
	if len(challenge) < api.MinChallenge || len(challenge) > api.MaxChallenge {
		return problem(fiber.StatusBadRequest, "a challenge has %d to %d characters, not %d", api.MinChallenge, api.MaxChallenge, len(challenge))
	}
	return c.JSON(fiber.Map{"proof": api.Proof(s.folder.token, s.URL(), challenge)})
}

// ownHost is true for the address that the service listens on, and for names of loopback with its port.
func (s *Service) ownHost(host string) bool {
	own := s.listener.Addr().String()
	if host == own {
		return true
	}
	name, port, err := net.SplitHostPort(host)
	_, ownPort, ownErr := net.SplitHostPort(own)
	if err != nil || ownErr != nil || port != ownPort {
		return false
	}
	if name == "localhost" {
		return true
	}
	ip := net.ParseIP(name)
	return ip != nil && (ip.IsLoopback() || s.listensOnAll())
}

// listensOnAll is true where the user asked for more than loopback.
func (s *Service) listensOnAll() bool {
	address, ok := s.listener.Addr().(*net.TCPAddr)
	return ok && address.IP.IsUnspecified()
}

func (s *Service) ownOrigin(origin string) bool {
	parsed, err := url.Parse(origin)
	return err == nil && parsed.Scheme == "http" && s.ownHost(parsed.Host)
}

func (s *Service) hasAccess(c fiber.Ctx) bool {
	if token, ok := strings.CutPrefix(c.Get("Authorization"), "Bearer "); ok {
		return subtle.ConstantTimeCompare([]byte(token), []byte(s.folder.token)) == 1
	}
	return s.goodCookie(c.Cookies(cookieName), time.Now())
}

// sign makes the cookie of a console: until when it is good, signed with the token, so that it outlives a restart.
func (s *Service) sign(until time.Time) string {
	text := strconv.FormatInt(until.Unix(), 10)
	mac := hmac.New(sha256.New, []byte(s.folder.token))
	mac.Write([]byte("console " + text))
	return text + "." + hex.EncodeToString(mac.Sum(nil))
}

func (s *Service) goodCookie(cookie string, now time.Time) bool {
	text, _, ok := strings.Cut(cookie, ".")
	seconds, err := strconv.ParseInt(text, 10, 64)
	if !ok || err != nil || now.After(time.Unix(seconds, 0)) {
		return false
	}
	return hmac.Equal([]byte(cookie), []byte(s.sign(time.Unix(seconds, 0))))
}

// openConsole takes a one-time key and gives the browser its cookie.
func (s *Service) openConsole(c fiber.Ctx) error {
	if !s.links.use(c.Query("key"), time.Now()) {
		if s.hasAccess(c) || strings.Contains(c.Get("Accept"), "text/html") {
			return c.Redirect().Status(fiber.StatusSeeOther).To("/") // the console says itself that it was not let in
		}
		return problem(fiber.StatusForbidden, "this link was used already, or is too old: get a fresh one with `ropebench link`")
	}
	until := time.Now().Add(cookieLasts)
	c.Cookie(&fiber.Cookie{Name: cookieName, Value: s.sign(until), Path: "/", Expires: until, HTTPOnly: true, SameSite: fiber.CookieSameSiteStrictMode})
	return c.Redirect().Status(fiber.StatusSeeOther).To("/")
}

// links are the one-time keys that were not used yet.
type links struct {
	mutex sync.Mutex           // guards keys
	keys  map[string]time.Time // until when each is good
}

func (l *links) make() string {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.keys == nil || len(l.keys) > maxLinks {
		l.keys = map[string]time.Time{}
	}
	key := rand.Text()
	l.keys[key] = time.Now().Add(linkLasts)
	return key
}

func (l *links) use(key string, now time.Time) bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	until, known := l.keys[key]
	delete(l.keys, key)
	return known && now.Before(until)
}
