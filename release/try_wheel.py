"""Install the wheel in fresh environments, on every Python that is there, with the oldest and newest of its needs."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
VERSIONS = ("3.11", "3.12", "3.13", "3.14")
TESTS = ("tests/test_flows.py", "tests/test_loans.py", "tests/test_command_line.py", "tests/test_loan_sums.py")
"""A test that needs every dependency but Dask: what is written, drawn, read and worked out."""


def main() -> None:
    """Every Python and both sets of needs; the status is 1 where one fails."""
    wheels = sorted((ROOT / "dist").glob("*.whl"))
    if len(wheels) != 1:
        raise SystemExit(f"dist/ has {len(wheels)} wheels; make dist leaves one.")
    failed = 0
    for python in pythons():
        for constraints in ("constraints-lowest.txt", "constraints.txt"):
            said = tried(python, wheels[0], ROOT / constraints)
            print(f"{python}, {constraints}: {said}", flush=True)
            failed += said != "well"
    if failed:
        raise SystemExit(1)


def pythons() -> list[str]:
    """The interpreters of this machine that Pennyweight runs on; the one that runs this first."""
    found = [sys.executable]
    own = f"{sys.version_info.major}.{sys.version_info.minor}"
    for version in VERSIONS:
        kept = sorted((Path.home() / ".pyenv" / "versions").glob(f"{version}.*/bin/python"))
        paths = [shutil.which(f"python{version}"), *map(str, kept)]
        able = (path for path in paths if path and _answers(path))
        if version != own and (path := next(able, None)):
            found.append(path)
    return found


def _answers(python: str) -> bool:
    return subprocess.run([python, "-c", ""], capture_output=True, check=False).returncode == 0


def tried(python: str, wheel: Path, constraints: Path) -> str:
    """ "well", or what went wrong in an environment of its own."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run([python, "-m", "venv", folder], check=True)
        own = str(Path(folder) / "bin" / "python")
        install = [own, "-m", "pip", "install", "-q", "--disable-pip-version-check", "-c", str(constraints)]
        needs = [f"{wheel}[parquet]", "pytest", "pytest-xdist", "hypothesis"]
        steps = (
            [*install, *needs],
            [own, "-m", "pennyweight", "--version"],
            [own, "-m", "pennyweight", "demo", "--folder", str(Path(folder) / "demo")],
            [own, "-m", "pytest", "-W", "ignore", *TESTS],
        )
        for step in steps:
            done = subprocess.run(step, cwd=ROOT, capture_output=True, text=True, check=False)
            if done.returncode:
                return f"{' '.join(step[1:5])} …: {(done.stdout + done.stderr)[-1_500:]}"
    return "well"


if __name__ == "__main__":
    main()
