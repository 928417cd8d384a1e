"""Answers to questions about the evidence: pairs, what-if, factors, kinds, sittings, worth, what is open."""
