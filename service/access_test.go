package service_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
)

// raw makes a request as it is written, without any cleaning of its path.
func (b *bed) raw(t *testing.T, method, target, token string) (status int, text string) {
	connection, err := net.Dial("tcp", strings.TrimPrefix(b.URL(), "http://"))
	require.NoError(t, err)
	defer connection.Close()
	fmt.Fprintf(connection, "%s %s HTTP/1.1\r\nHost: %s\r\nConnection: close\r\n", method, target, strings.TrimPrefix(b.URL(), "http://"))
	if token != "" {
		fmt.Fprintf(connection, "Authorization: Bearer %s\r\n", token)
	}
	fmt.Fprint(connection, "Content-Length: 0\r\n\r\n")
	response, err := http.ReadResponse(bufio.NewReader(connection), nil)
	require.NoError(t, err, "%s %s", method, target)
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, string(answer)
}

// spellings are other ways to write a path that a router or a file system may take for the same.
func spellings(own, path string) []string {
	all := []string{path, strings.ToUpper(path), path + "/", "/" + path, path + "?x=1", path + ";x", path + "/.", "/./" + path[1:], "/x/.." + path,
		"/bench/.." + path, "/assets/.." + path, "/assets/%2e%2e" + path, "/bench/%2e%2e%2f" + path[1:], strings.Replace(path, "/v1", "/V1", 1), own + path}
	for _, encoded := range []string{"%2F", "%2f", "//", "%5c", "/%00"} {
		all = append(all, "/"+strings.ReplaceAll(path[1:], "/", encoded))
	}
	return append(all, "/%76"+path[2:])
}

// TestEveryOperationNeedsTheToken walks the whole interface: in whatever spelling, nothing that needs access is answered,
// and nothing is done.
func TestEveryOperationNeedsTheToken(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	text, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	document, err := openapi3.NewLoader().LoadFromData(text)
	require.NoError(t, err)
	names := strings.NewReplacer("{bench}", "pulley", "{run}", "1", "{evaluation}", "1", "{file}", "a")
	walked := 0
	for path, item := range document.Paths.Map() {
		for method, operation := range item.Operations() {
			if operation.Security != nil && len(*operation.Security) == 0 {
				continue
			}
			for _, target := range spellings(b.URL(), names.Replace(path)) {
				walked++
				for _, token := range []string{"", "wrong"} {
					status, answer := b.raw(t, method, target, token)
					page := method == http.MethodGet && status == http.StatusOK && answer == "<p>console</p>" // which everybody may read
					assert.True(t, page || status == http.StatusUnauthorized || status == http.StatusBadRequest, "%s %s is answered with %d", method, target, status)
				}
			}
		}
	}
	assert.Greater(t, walked, 400)
	status, _ := b.raw(t, "GET", "/v1/health", b.token)
	assert.Equal(t, http.StatusOK, status)
	for _, target := range []string{"/V1/health", "/v1/health/"} {
		status, _ = b.raw(t, "GET", target, b.token)
		assert.Equal(t, http.StatusNotFound, status, "there is one spelling, and it is not %s", target)
	}
}

func TestTheServiceProvesItself(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	challenge := api.NewChallenge()
	status, text := b.ask(t, "GET", api.ProofPath+"?challenge="+challenge, "", "Authorization", "")
	require.Equal(t, 200, status, text)
	var answer struct{ Proof string }
	require.NoError(t, json.Unmarshal([]byte(text), &answer))
	assert.True(t, api.Proves(answer.Proof, b.token, b.URL(), challenge))
	assert.False(t, api.Proves(answer.Proof, b.token, b.URL(), api.NewChallenge()))
	assert.False(t, api.Proves(answer.Proof, "other", b.URL(), challenge))
	status, text = b.ask(t, "GET", api.ProofPath+"?challenge=short", "", "Authorization", "")
	assert.Equal(t, 400, status)
	assert.Contains(t, text, "a challenge has 32 to 128 characters, not 5")
}
