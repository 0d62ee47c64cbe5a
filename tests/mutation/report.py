"""docs/mutation.md: the score of a run, and each fault that no test noticed with why that is so."""

import tomllib
from collections import Counter
from collections.abc import Callable
from pathlib import Path

EXPLAINED = Path(__file__).parent / "survivors.toml"


def write_report(results: list[dict], path: Path) -> None:
    """The page, from what each fault came to and the explanations in survivors.toml."""
    known = tomllib.loads(EXPLAINED.read_text())
    explained = {(one["path"], one["becomes"]): one["why"] for one in known["survivor"]}
    left = [result["mutant"] for result in results if not result["is_noticed"]]
    survivors = [
        f"- `{one['path'].removeprefix('src/')}:{one['line']}` `{one['was']}` → `{one['becomes']}`  \n"
        f"  {explained.get((one['path'], one['becomes']), '**Not explained yet.**')}"
        for one in left
    ]
    seeds = sorted({one["seed"] for one in results})
    lines = [
        "# Do the tests notice faults?",
        "",
        "`./recitant mutate` puts faults into the core and into the pages' own modules, one at a time, and asks the",
        f"tests that run the changed line. A fault is noticed where one fails or does not end. Seeds {seeds[0]} to "
        f"{seeds[-1]} were drawn",
        "from every room of the core and from the modules that compute without a page.",
        "",
        *_table("part", results, lambda one: _part(one["mutant"]["path"])),
        "",
        *_table("seed", results, lambda one: str(one["seed"])),
        "",
        known["history"],
        "",
        "## Not noticed",
        "",
        *survivors,
        "",
    ]
    path.write_text("\n".join(lines))


def _part(path: str) -> str:
    return path.split("/")[2] if path.startswith("src/recitant_core") else "scripts"


def _table(head: str, results: list[dict], key: Callable[[dict], str]) -> list[str]:
    drawn = Counter(key(one) for one in results)
    noticed = Counter(key(one) for one in results if one["is_noticed"])
    rows = [
        f"| {name} | {n} | {noticed[name]} | {100 * noticed[name] / n:.0f} % |" for name, n in sorted(drawn.items())
    ]
    n, m = sum(drawn.values()), sum(noticed.values())
    head_rows = [f"| {head} | faults | noticed | share |", "| --- | --- | --- | --- |"]
    return [*head_rows, *rows, f"| all | {n} | {m} | **{100 * m / n:.1f} %** |"]
