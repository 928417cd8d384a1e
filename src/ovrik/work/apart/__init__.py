"""Where a contender's time goes: parts, phases, segments, and the whole programme."""
