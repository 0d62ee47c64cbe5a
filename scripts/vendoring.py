"""Copies the pinned front-end packages into the static files, with a list of their checksums.

Needs npm; the copies are committed, so nobody else does.
"""

import hashlib
import json
import re
import shutil
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
FRONTEND = ROOT / "frontend"
TARGET = ROOT / "src" / "recitant_web" / "static" / "vendor"
WANTED = {
    "bootstrap": ["dist/css/bootstrap.min.css", "LICENSE"],
    "htmx.org": ["dist/htmx.min.js", "LICENSE"],
    "@fontsource-variable/fraunces": ["files/fraunces-latin-wght-normal.woff2", "LICENSE"],
    "@fontsource-variable/public-sans": ["files/public-sans-latin-wght-normal.woff2", "LICENSE"],
    "@fontsource-variable/spline-sans-mono": ["files/spline-sans-mono-latin-wght-normal.woff2", "LICENSE"],
}


def main() -> int:
    """Install what the lock file pins and copy what is wanted."""
    if shutil.which("npm") is None:
        print("recitant: vendor needs npm; install Debian's npm package first.")
        return 2
    subprocess.run(["npm", "ci", "--ignore-scripts", "--no-progress"], cwd=FRONTEND, check=True)
    shutil.rmtree(TARGET, ignore_errors=True)
    sums = {}
    for package, files in WANTED.items():
        home = FRONTEND / "node_modules" / package
        version = json.loads((home / "package.json").read_text())["version"]
        folder = TARGET / f"{package.rsplit('/', 1)[-1].removesuffix('.org')}-{version}"
        folder.mkdir(parents=True)
        for name in files:
            data = (home / name).read_bytes()
            if name.endswith((".css", ".js")):
                data = re.sub(rb"(/\*|//)# sourceMappingURL=[^\n]*\n?", b"", data)
            copy = folder / Path(name).name
            copy.write_bytes(data)
            sums[str(copy.relative_to(TARGET))] = hashlib.sha256(data).hexdigest()
    lines = [f"{checksum}  {name}\n" for name, checksum in sorted(sums.items())]
    (TARGET / "SHA256SUMS").write_text("".join(lines))
    print(f"recitant: {len(sums)} files vendored.")
    return 0
