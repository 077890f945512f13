package postgres

import "context"

// Ping tells whether a cluster's server answers.
func Ping(c *Cluster) error { return c.ping(context.Background(), false) }
