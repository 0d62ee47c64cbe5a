"""Tests in JavaScript of what the pages compute without a page, run by node's own test runner."""

import subprocess
from pathlib import Path

import pytest

FILES = sorted(Path(__file__).parent.glob("*.test.js"))


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.name)
def test_node_finds_nothing(file):
    done = subprocess.run(["node", "--test", file], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout
    assert "# tests 0" not in done.stdout
