"""The libraries that tests load, for processes that are forked off this one. Nothing of Ovrik:
each fork has its own."""

import av
import hypothesis
import numpy
import pydantic
import pytest
import scipy.interpolate
import scipy.optimize
import scipy.stats

LOADED = (av, hypothesis, numpy, pydantic, pytest, scipy)
