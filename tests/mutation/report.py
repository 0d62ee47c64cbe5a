"""docs/mutation.md: the score of a run, and each fault that no test noticed with why that is so."""

import tomllib
from collections import Counter
from pathlib import Path

EXPLAINED = Path(__file__).parent / "survivors.toml"


def write_report(results: list[dict], seed: int, path: Path) -> None:
    """The page, from what each fault came to and the explanations in survivors.toml."""
    known = tomllib.loads(EXPLAINED.read_text())
    explained = {(one["path"], one["becomes"]): one["why"] for one in known["survivor"]}
    drawn, noticed = Counter(), Counter()
    for one in results:
        part = one["mutant"]["path"].split("/")[2]
        drawn[part] += 1
        noticed[part] += one["is_noticed"]
    rows = [
        f"| {part} | {n} | {noticed[part]} | {100 * noticed[part] / n:.0f} % |" for part, n in sorted(drawn.items())
    ]
    n, m = sum(drawn.values()), sum(noticed.values())
    left = [result["mutant"] for result in results if not result["is_noticed"]]
    survivors = [
        f"- `{one['path'].removeprefix('src/recitant_core/')}:{one['line']}` `{one['was']}` → `{one['becomes']}`  \n"
        f"  {explained.get((one['path'], one['becomes']), '**Not explained yet.**')}"
        for one in left
    ]
    path.write_text(
        "\n".join(
            [
                "# Do the tests notice faults?",
                "",
                f"`./recitant mutate` puts {n} faults (seed {seed}) one at a time into the core's rules and asks the",
                "tests that run the changed line. A fault is noticed where one fails or does not end. This page is its",
                "result; why a fault may stand unnoticed is said in tests/mutation/survivors.toml.",
                "",
                "| part | faults | noticed | share |",
                "| --- | --- | --- | --- |",
                *rows,
                f"| all | {n} | {m} | **{100 * m / n:.1f} %** |",
                "",
                known["history"],
                "",
                "## Not noticed",
                "",
                *survivors,
                "",
            ]
        )
    )
