"""The five roles are told apart by eyes of every kind in both themes, and can be read on every ground.

Colour vision: matrices of G. Machado, M. Oliveira, L. Fernandes, IEEE TVCG 15(6), 2009, full severity
(values from memory); colours in CIE L*a*b*, distances of 1976. Contrast: W3C WCAG 2.1, 1.4.3.
"""

import re
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest

TOKENS = Path(__file__).parents[2] / "src" / "recitant_web" / "static" / "css" / "tokens.css"
ROLES = ("narration", "dialogue", "music", "effects", "atmosphere")
LEAST_APART = 15.0
EYES = {
    "usual": [1, 0, 0, 0, 1, 0, 0, 0, 1],
    "protan": [0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998],
    "deutan": [0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881],
    "tritan": [1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.303900],
}
TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
WHITE = np.array([0.9505, 1.0, 1.089])


def colours(theme):
    """The tokens of a theme that are colours: linear light, float64 (3,) each."""
    block = re.search(rf'\[data-bs-theme="{theme}"\] \{{(.*?)\}}', TOKENS.read_text(), re.S).group(1)
    found = {}
    for name, value in re.findall(r"--([a-z-]+): (#[0-9a-f]{6})", block):
        light = np.array([int(value[i : i + 2], 16) for i in (1, 3, 5)]) / 255.0
        found[name] = np.where(light <= 0.04045, light / 12.92, ((light + 0.055) / 1.055) ** 2.4)
    return found


def lab(linear):
    ratio = TO_XYZ @ np.clip(linear, 0.0, 1.0) / WHITE
    f = np.where(ratio > 0.008856, np.cbrt(ratio), 7.787 * ratio + 16.0 / 116.0)
    return np.array([116.0 * f[1] - 16.0, 500.0 * (f[0] - f[1]), 200.0 * (f[1] - f[2])])


def contrast(one, other):
    low, high = sorted(float(TO_XYZ[1] @ c) + 0.05 for c in (one, other))
    return high / low


@pytest.mark.parametrize("theme", ["light", "dark"])
@pytest.mark.parametrize("eyes", EYES)
def test_roles_are_told_apart(theme, eyes):
    found = colours(theme)
    seen = {role: lab(np.reshape(EYES[eyes], (3, 3)) @ found[role]) for role in ROLES}
    apart = {pair: float(np.linalg.norm(seen[pair[0]] - seen[pair[1]])) for pair in combinations(ROLES, 2)}
    assert min(apart.values()) >= LEAST_APART, min(apart, key=apart.get)


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_words_in_any_of_the_colours_can_be_read(theme):
    found = colours(theme)
    for ground in ("paper", "sheet", "raised"):
        for name in (*ROLES, "ink", "soft", "over", "within", "brass"):
            assert contrast(found[name], found[ground]) >= 4.5, (name, ground)
    for role in ROLES:
        assert contrast(found[role], found["on-role"]) >= 4.5, role
