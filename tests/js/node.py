"""The pages' own modules under node, without a page: what they compute is compared with what the core computes."""

import json
import subprocess
from contextlib import contextmanager
from pathlib import Path

CASES = Path(__file__).parent
STATIC = CASES.parents[1] / "src" / "recitant_web" / "static" / "js"


@contextmanager
def node_modules():
    """A function from a module's path, under static/js or beside this file, to calls of what it or its cases export."""
    command = ["node", str(CASES / "run.js")]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as node:

        def call(path, name, given):
            node.stdin.write(json.dumps([str(path), name, given]) + "\n")
            node.stdin.flush()
            answer = json.loads(node.stdout.readline())
            assert "failed" not in answer, answer["failed"]
            return answer.get("is")

        def module(path):
            place = CASES / path if (CASES / path).exists() else STATIC / path
            return lambda name, *given: call(place, name, given)

        yield module
        node.stdin.close()
