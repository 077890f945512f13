package account

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"runtime"
	"strings"

	"golang.org/x/crypto/argon2"
)

// quickMemory is what hashing a one-time password takes, in KiB: nobody can guess its 80 random bits, however quickly
// a guess is tried, and a whole course gets its passwords at once.
const quickMemory = 64

// Cost of argon2id, as OWASP's password storage cheat sheet recommends: 19 MiB, two passes, one lane.
const (
	argonMemory = 19 * 1024 // KiB
	argonTime   = 2
	argonLanes  = 1
)

// passwords hashes passwords, only so many at once: each takes argonMemory.
type passwords struct {
	slots chan struct{}
	dummy string // verified against where there is no account, so that the time tells nothing
}

func newPasswords() *passwords {
	// One processor is left to the others: a whole class logs in at once, while some of it is at work.
	p := &passwords{slots: make(chan struct{}, max(1, runtime.NumCPU()-1))}
	p.dummy = p.hash(random())
	return p
}

// hash returns the password's argon2id hash in PHC string format.
func (p *passwords) hash(password string) string { return p.written(password, argonTime, argonMemory) }

// quickHash is the same for a password that was made at random.
func (p *passwords) quickHash(password string) string { return p.written(password, 1, quickMemory) }

func (p *passwords) written(password string, time, memory uint32) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, time, argonLanes,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(
			p.key(password, salt, time, memory, argonLanes),
		))
}

func (p *passwords) key(password string, salt []byte, time, memory uint32, lanes uint8) []byte {
	p.slots <- struct{}{}
	defer func() { <-p.slots }()
	return argon2.IDKey([]byte(password), salt, time, memory, lanes, 32)
}

// verify tells whether the password has the hash. An empty hash takes as long, and is false.
func (p *passwords) verify(hash, password string) bool {
	known := hash != ""
	if !known {
		hash = p.dummy
	}
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" || len(password) > 1000 {
		return false
	}
	var memory, time uint32
	var lanes uint8
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &lanes); err != nil {
		return false
	}
	salt, errSalt := base64.RawStdEncoding.DecodeString(parts[4])
	want, errWant := base64.RawStdEncoding.DecodeString(parts[5])
	if errSalt != nil || errWant != nil {
		return false
	}
	if memory < argonMemory { // so that the time tells nothing
		p.key(password, salt, argonTime, argonMemory, argonLanes)
	}
	return subtle.ConstantTimeCompare(p.key(password, salt, time, memory, lanes), want) == 1 && known
}
