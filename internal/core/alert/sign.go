package alert

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// secretPrefix is what signing secrets begin with (the Standard Webhooks specification).
const secretPrefix = "whsec_"

// NewSecret makes a secret of 256 random bits for signatures.
func NewSecret() string {
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // it never fails
	return secretPrefix + base64.StdEncoding.EncodeToString(raw)
}

// Sign gives the header webhook-signature of a message: HMAC-SHA256 over "id.timestamp.body",
// as version 1 of the Standard Webhooks specification says.
func Sign(secret, id string, at time.Time, body []byte) (string, error) {
	key, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(secret, secretPrefix))
	if err != nil {
		return "", fmt.Errorf("the secret is no base64: %w", err)
	}
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s.%d.", id, at.Unix())
	mac.Write(body)
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil)), nil
}

// ErrSignature says that a message was not signed by who has the secret, or not lately.
var ErrSignature = errors.New("the signature does not fit the message")

// signatureAge is how old a message may be whose signature is taken.
const signatureAge = 5 * time.Minute

// Signed is a message with its headers.
type Signed struct {
	ID, Timestamp, Signatures string
	Body                      []byte
}

// Verify checks the headers of a signed message.
func Verify(secret string, s Signed, now time.Time) error {
	seconds, err := strconv.ParseInt(s.Timestamp, 10, 64)
	if err != nil || now.Sub(time.Unix(seconds, 0)).Abs() > signatureAge {
		return fmt.Errorf("%w: its time is %q", ErrSignature, s.Timestamp)
	}
	want, err := Sign(secret, s.ID, time.Unix(seconds, 0), s.Body)
	if err != nil {
		return err
	}
	for given := range strings.FieldsSeq(s.Signatures) {
		if hmac.Equal([]byte(given), []byte(want)) {
			return nil
		}
	}
	return ErrSignature
}
