"""Splices: clips joined with a transition. Where two clips meet best, how one is laid onto the other, how the one goes
over into the other, and what a join costs."""
