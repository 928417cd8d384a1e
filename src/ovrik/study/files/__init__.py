"""Files as such: is one regular and bounded, is it still the same, is it text, and how one is written."""
