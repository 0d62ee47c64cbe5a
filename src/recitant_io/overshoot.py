"""How far a codec lifts peaks over a ceiling, foretold from the loudest places of a mix.

A whole programme takes a codec minutes; a few seconds where the limiter works hardest say nearly as much.
Held to: tests/io/test_copies.py
"""

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

import numpy as np

from recitant_core.delivery.trial import Rendered
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES
from recitant_core.measure.true_peak import true_peak_dbtp
from recitant_core.render.mix import Mastering, output_gain_db
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_io.codecs import Codec, round_trip
