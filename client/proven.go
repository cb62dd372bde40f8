package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"time"

	"ropebench/api"
)

// proofTime is how long a service may take to prove itself.
const proofTime = 3 * time.Second

// ErrImpostor is matched by errors of requests to something that could not prove to be the service of the data folder.
// It was told nothing.
var ErrImpostor = errors.New("what listens there is not the service of this data folder")

// dial opens a connection on which the service has proved that it knows the token. The check belongs to the connection
// and not to the client, since the next one may reach somebody else.
func (c *Client) dial(ctx context.Context, network, address string) (net.Conn, error) {
	var dialer net.Dialer
	connection, err := dialer.DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	if err := c.challenge(ctx, connection); err != nil {
		connection.Close()
		return nil, err
	}
	return connection, nil
}

func (c *Client) challenge(ctx context.Context, connection net.Conn) error {
	ctx, cancel := context.WithTimeout(ctx, proofTime)
	defer cancel()
	stop := context.AfterFunc(ctx, func() { connection.SetDeadline(time.Unix(1, 0)) }) // waits no longer
	challenge := api.NewChallenge()
	proof, err := askForProof(connection, c.url+api.ProofPath+"?"+url.Values{"challenge": {challenge}}.Encode())
	if !stop() {
		return fmt.Errorf("%s did not prove what it is: %w", c.url, ctx.Err())
	}
	if err != nil {
		return fmt.Errorf("%s: %w (%w)", c.url, ErrImpostor, err)
	}
	if !api.Proves(proof, c.token, c.url, challenge) {
		return fmt.Errorf("%s: %w", c.url, ErrImpostor)
	}
	return nil
}

// askForProof makes one request on the connection, and leaves nothing of its answer behind.
func askForProof(connection net.Conn, address string) (proof string, err error) {
	request, err := http.NewRequest(http.MethodGet, address, nil)
	if err != nil {
		return "", err
	}
	if err := request.Write(connection); err != nil {
		return "", err
	}
	reader := bufio.NewReader(connection)
	response, err := http.ReadResponse(reader, request)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK || response.Close || response.ContentLength < 0 || response.ContentLength > 1000 {
		return "", fmt.Errorf("it answered %s", response.Status)
	}
	var answer struct {
		Proof string `json:"proof"`
	}
	if err := json.NewDecoder(response.Body).Decode(&answer); err != nil {
		return "", err
	}
	if reader.Buffered() > 0 {
		return "", errors.New("it said more than was asked")
	}
	return answer.Proof, nil
}
