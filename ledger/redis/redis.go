package redis

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strconv"
	"time"

	"github.com/redis/go-redis/v9"

	"leanwicket.dev/ledger"
)

// Options of a store.
type Options struct {
	Keep   time.Duration // how long an answer is kept; 0 means a day
	Prefix string        // of the names in the database; empty means leanwicket:
}

// Store is a ledger.Store. Leases run by the server's clock, what is over is
// forgotten by the server, and each call is one round trip.
type Store struct {
	client redis.UniversalClient
	keep   time.Duration
	prefix string
}

// New makes a store of a client. Close the client after the last use.
func New(client redis.UniversalClient, o Options) *Store {
	return &Store{client: client, keep: cmp.Or(o.Keep, 24*time.Hour), prefix: cmp.Or(o.Prefix, "leanwicket:")}
}

// name is where a key is kept: a digest, so that no value of a client is part of
// a name.
func (s *Store) name(k ledger.Key) []string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%q %q %q", k.Principal, k.Route, k.Key))
	return []string{s.prefix + hex.EncodeToString(sum[:])}
}

// A key is a hash: f fingerprint, o owner, u end of the lease in milliseconds by the server's
// clock, and when settled s status, h header, b body. Work that was given up is
// kept as long as an answer, so that only the same values take it over.
var reserve = redis.NewScript(`
local now = redis.call('TIME')
now = now[1] * 1000 + math.floor(now[2] / 1000)
local known = redis.call('HMGET', KEYS[1], 'f', 'o', 'u', 's', 'h', 'b')
if known[1] and (known[4] or known[1] ~= ARGV[1] or (known[2] ~= ARGV[2] and tonumber(known[3]) >= now)) then
  return known
end
redis.call('HSET', KEYS[1], 'f', ARGV[1], 'o', ARGV[2], 'u', now + ARGV[3])
redis.call('PEXPIRE', KEYS[1], ARGV[3] + ARGV[4])
return {ARGV[1], ARGV[2]}`)

// Reserve implements [ledger.Store].
func (s *Store) Reserve(ctx context.Context, r ledger.Reservation) (ledger.State, ledger.Response, error) {
	known, err := reserve.Run(ctx, s.client, s.name(r.Key), r.Fingerprint[:], r.Owner[:], r.Lease.Milliseconds(), s.keep.Milliseconds()).Slice()
	if err != nil {
		return 0, ledger.Response{}, err
	}
	text := func(k int) *string {
		if k < len(known) {
			if t, ok := known[k].(string); ok {
				return &t
			}
		}
		return nil
	}
	row := ledger.Row{Fingerprint: []byte(*text(0)), Owner: []byte(*text(1)), Header: text(4)}
	if status := text(3); status != nil {
		code, err := strconv.Atoi(*status)
		if err != nil {
			return 0, ledger.Response{}, fmt.Errorf("the status of a settled key: %w", err)
		}
		row.Status, row.Body = &code, []byte(*text(5))
	}
	return row.State(r)
}

// A plain HSET would overwrite the owner that has taken over.
var settle = redis.NewScript(`
if redis.call('HGET', KEYS[1], 'o') ~= ARGV[1] or redis.call('HEXISTS', KEYS[1], 's') == 1 then
  return 0
end
redis.call('HSET', KEYS[1], 's', ARGV[2], 'h', ARGV[3], 'b', ARGV[4])
redis.call('PEXPIRE', KEYS[1], ARGV[5])
return 1`)

// Settle implements [ledger.Store].
func (s *Store) Settle(ctx context.Context, r ledger.Reservation, a ledger.Response) error {
	settled, err := settle.Run(ctx, s.client, s.name(r.Key), r.Owner[:], a.Status, a.HeaderText(), a.Body, s.keep.Milliseconds()).Int()
	if err == nil && settled == 0 {
		err = ledger.ErrLost
	}
	return err
}

// Find implements [ledger.Store].
func (s *Store) Find(ctx context.Context, k ledger.Key) (*ledger.Kept, error) {
	known, err := s.client.HMGet(ctx, s.name(k)[0], "s", "h", "b", "f").Result()
	if err != nil || known[0] == nil {
		return nil, err
	}
	status, header, body, fingerprint := known[0].(string), known[1].(string), known[2].(string), known[3].(string)
	code, err := strconv.Atoi(status)
	if err != nil {
		return nil, fmt.Errorf("the status of a settled key: %w", err)
	}
	return ledger.Row{Fingerprint: []byte(fingerprint), Status: &code, Header: &header, Body: []byte(body)}.Kept()
}

var release = redis.NewScript(`
if redis.call('HGET', KEYS[1], 'o') == ARGV[1] and redis.call('HEXISTS', KEYS[1], 's') == 0 then
  redis.call('DEL', KEYS[1])
end
return 0`)

// Release implements [ledger.Store].
func (s *Store) Release(ctx context.Context, r ledger.Reservation) error {
	return release.Run(ctx, s.client, s.name(r.Key), r.Owner[:]).Err()
}
