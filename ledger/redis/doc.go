// Package redis keeps submission keys in Redis, for any number of processes. The
// work cannot commit with its answer: a process that dies in between leaves a
// lease, and after that a repeat does the work again. Where that must not be, use
// the InTransaction store of a database.
//
//	client := redis.NewClient(&redis.Options{Addr: "127.0.0.1:6379"}) // github.com/redis/go-redis
//	store := ledgerredis.New(client, ledgerredis.Options{})
package redis
