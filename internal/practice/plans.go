package practice

// plans are the planner settings of each plan: first none, then some under which the server gets to a result in other
// ways.
var plans = [][]string{
	{},
	{
		"enable_hashjoin = off", "enable_hashagg = off", "enable_indexscan = off", "enable_indexonlyscan = off",
		"enable_bitmapscan = off",
	},
	{"enable_seqscan = off", "enable_nestloop = off", "enable_mergejoin = off", "enable_sort = off"},
}

// OtherPlans is the number of alternative plans that can be forced on the server. A result that is fully determined is
// the same under every plan; see [Run].
var OtherPlans = len(plans) - 1
