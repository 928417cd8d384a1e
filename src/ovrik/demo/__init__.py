"""The demo scenario: "Casting Day", a short film about a bell foundry, and the study made of it."""
