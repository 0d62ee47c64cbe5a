"""What no common linter says of this tree: words, docstrings, exports, styles and templates. Standard library only.

Each check gives its complaints as lines; ``./recitant lint`` prints them and tests/test_house_rules.py wants none.
"""

import ast
import json
import re
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

from machine import FRONTEND, ROOT

SRC = ROOT / "src"
STATIC = SRC / "recitant_web" / "static"
TEMPLATES = SRC / "recitant_web" / "templates"
_ASKING = re.compile(r"(What|How|As|Where|That|Those|Which|Who|When|Why)\b")
_ARRAY = re.compile(r"Array|Audio|ndarray")
_SHAPE = re.compile(r"\([^()]*,[^()]*\)|same (shape|length)")

_MADE = re.compile(r":|\.shade-|\.chain-|\.who\[data-tone")
"""Selectors of no name of their own, or of one that scripts make of a word and a number."""


_TEXT = re.compile(r"[A-Za-z]{2,} [a-z]{2,}|^[A-Z][a-z]{3,}[ a-z]*[.!?]$")
_TEXT_HAS_A_HOME = {
    "recitant_cli": "the command line's own pages",
    "recitant_text": "its home",
    "recitant_core/delivery/specification/catalogue.py": "names and sources of published specifications are values",
    "recitant_core/dsp/lanes.py": "machine code",
    "recitant_core/intake/roles.py": "words in the names of files",
    "recitant_core/processors/kinds.py": "units",
    "recitant_core/timeline/room_tone.py": "the name that a clip is made with",
    "recitant_io/formats/json_file.py": "what is wrong with a value, as msgspec puts it",
    "recitant_io/formats/film.py": "the name of a track in a film's file",
    "recitant_io/media/isolation.py": "told to a process, not to a person",
    "recitant_web/accounts/management": "the command line's own pages",
    "recitant_web/accounts/signing.py": "logs",
    "recitant_web/config": "whoever runs a server",
    "recitant_web/demo.py": "titles of the demo",
    "recitant_web/jobs/figures.py": "metrics",
    "recitant_web/prepare.py": "whoever runs a server",
    "recitant_web/shared/watching.py": "metrics",
}
"""Places where text may stand beside the templates, and why."""
_SQL_OR_CLASS = re.compile(r"^\s*SELECT |^gain wide$")
_NOT_READ = re.compile(
    r"\b(log|logger|_log|_logger)\.\w+|Cache|Remembered|cached|ValueError|TypeError|RuntimeError|AssertionError|PermissionError"
    r"|sha256|execute|raw|Thread|re\.compile|JsonFormatter"
)
"""Calls whose text is for logs, names of caches, or for those who write code."""


def texts() -> list[str]:
    """Text that people read, outside of recitant_text and the templates; see docs/decisions/codes-in-rows.md."""
    return [
        f"{path.relative_to(ROOT)}:{node.lineno}: {node.value[:60]!r} belongs into recitant_text"
        for path in _own("*.py")
        if not any(str(path.relative_to(SRC)).startswith(home) for home in _TEXT_HAS_A_HOME)
        for node in _strings(ast.parse(path.read_text()))
        if _TEXT.search(node.value) and not _SQL_OR_CLASS.search(node.value)
    ]


def _strings(tree: ast.AST) -> Iterator[ast.Constant]:
    """String constants of a module but docstrings, and those of calls that nobody reads."""
    if isinstance(tree, ast.Expr) and isinstance(tree.value, ast.Constant):
        return
    if isinstance(tree, ast.Call) and _NOT_READ.search(ast.unparse(tree.func)):
        return
    if isinstance(tree, ast.Constant) and isinstance(tree.value, str):
        yield tree
    for child in ast.iter_child_nodes(tree):
        yield from _strings(child)


def first_lines() -> list[str]:
    """Docstrings that begin with a question's word instead of a noun: neither subject nor unit stands first."""
    return [
        f"{place}: {node.name} begins with {found[0]!r}; say what it is, with unit and shape"
        for place, node in _definitions(SRC)
        if (found := _ASKING.match(ast.get_docstring(node) or ""))
    ]


def shapes() -> list[str]:
    """Public functions of the core that take or return arrays and do not say of which shape."""
    return [
        f"{place}: {node.name} takes or returns an array and says no shape, such as (frames, channels)"
        for place, node in _definitions(SRC / "recitant_core", is_nested_too=False)
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_") and _has_array(node)
        if not _SHAPE.search(ast.get_docstring(node) or "")
    ]


def _has_array(function: ast.FunctionDef) -> bool:
    arguments = function.args
    given = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs]
    types = [ast.unparse(one.annotation) for one in given if one.annotation]
    types += [ast.unparse(function.returns)] if function.returns else []
    return any(_ARRAY.search(one) and "Callable" not in one for one in types)


def words() -> list[str]:
    """Words that docs/glossary.md lists as not used, in names, comments and docstrings."""
    _, _, listed = (ROOT / "docs" / "glossary.md").read_text().partition("## Not used")
    rows = [line.split("|")[1:3] for line in listed.splitlines() if line.startswith("| ")][2:]
    instead = {word.strip(): better.strip() for not_used, better in rows for word in not_used.split(",")}
    pattern = re.compile(r"(?<![a-z])(" + "|".join(map(re.escape, instead)) + r")(?![a-z])")
    return [
        f"{path.relative_to(ROOT)}:{number}: {found[1]!r}; say {instead[found[1]]}"
        for path in _own("*.py", "*.js")
        if "recitant_text" not in path.parts
        for number, line in enumerate(path.read_text().splitlines(), 1)
        for found in pattern.finditer(line)
    ]


def exports() -> list[str]:
    """Names that a script exports and no other script, nor a test of scripts, names."""
    scripts = {path: path.read_text() for path in [*_own("*.js"), *(ROOT / "tests" / "js").glob("*.js")]}
    named = {path: set(re.findall(r"\w+", text)) for path, text in scripts.items()}
    return [
        f"{path.relative_to(ROOT)}: nobody imports {name}"
        for path, text in scripts.items()
        if "tests" not in path.parts
        for name in re.findall(r"^export (?:async )?(?:const|let|function\*?|class) (\w+)", text, re.MULTILINE)
        if not any(name in words for other, words in named.items() if other != path)
    ]


def templates() -> list[str]:
    """Templates that neither a view nor another template names."""
    texts = [path.read_text() for path in [*_own("*.py"), *TEMPLATES.rglob("*.html")]]
    names = [str(path.relative_to(TEMPLATES)) for path in TEMPLATES.rglob("*.html")]
    return [f"templates/{name}: never rendered" for name in names if not any(name in text for text in texts)]


def styles() -> list[str]:
    """Selectors of the style sheet whose names stand in no template and no script."""
    content = [str(path) for path in [*_own("*.py", "*.js"), *TEMPLATES.rglob("*.html")]]
    sheet = str(STATIC / "css" / "recitant.css")
    tool = FRONTEND / "node_modules" / ".bin" / "purgecss"
    command = [tool, "--css", sheet, "--content", *content, "--rejected"]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    rejected = [one.strip() for found in json.loads(done.stdout) for one in found.get("rejected", [])]
    return [f"recitant.css: nothing has {one}" for one in rejected if not _MADE.match(one)]


CHECKS: dict[str, Callable[[], list[str]]] = {
    "first lines of docstrings": first_lines,
    "shapes in docstrings": shapes,
    "words": words,
    "texts": texts,
    "exports of scripts": exports,
    "templates": templates,
    "styles": styles,
}


def _own(*patterns: str) -> list[Path]:
    found = [path for pattern in patterns for path in SRC.rglob(pattern)]
    return sorted(path for path in found if not {"vendor", "migrations"} & set(path.parts))


def _definitions(folder: Path, *, is_nested_too: bool = True) -> Iterator[tuple[str, ast.FunctionDef | ast.ClassDef]]:
    for path in _own("*.py"):
        if path.is_relative_to(folder):
            tree = ast.parse(path.read_text())
            classes = [node for node in tree.body if isinstance(node, ast.ClassDef) and not node.name.startswith("_")]
            outer = [*tree.body, *(node for one in classes for node in one.body)]
            for node in ast.walk(tree) if is_nested_too else outer:
                if isinstance(node, ast.FunctionDef | ast.ClassDef):
                    yield f"{path.relative_to(ROOT)}:{node.lineno}", node
