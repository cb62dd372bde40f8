// Package api is what a service and its clients agree on: the types of the HTTP interface, and how a service proves itself.
package api

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
)

// A service proves that it knows the token of its data folder before a client says it: whoever else listens on an
// address that a killed service left behind learns nothing. The proof is about the address, so that it cannot be had
// from the service through another one.

// NewChallenge returns a text that was never asked before.
func NewChallenge() string { return rand.Text() + rand.Text() }

// The lengths that a challenge may have, in bytes.
const (
	MinChallenge = 32
	MaxChallenge = 128
)

// Proof answers a challenge: a message authentication code (RFC 2104, SHA-256) of the address and the challenge under
// the token.
func Proof(token, url, challenge string) string {
	mac := hmac.New(sha256.New, []byte(token))
	mac.Write([]byte("service " + url + " " + challenge))
	return hex.EncodeToString(mac.Sum(nil))
}

// Proves is true if proof answers the challenge.
func Proves(proof, token, url, challenge string) bool {
	return hmac.Equal([]byte(proof), []byte(Proof(token, url, challenge)))
}

// ProofPath is where a service answers a challenge, to everybody.
const ProofPath = "/proof"
