"""Who is chosen: one view of a contender, one order, one decider, and what would change it."""
