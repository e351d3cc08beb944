"""Building styles, libraries and fonts from the packages of package.json into ui/static, which is committed."""

import shutil
import subprocess
from pathlib import Path

from reel.core.errors import ReelError
from reel.options import ROOT

UI = ROOT / "src" / "reel" / "web" / "ui"
MODULES = ROOT / "node_modules"
FONTS = {
    "bricolage-grotesque": "bricolage-grotesque-latin-wght-normal.woff2",
    "instrument-sans": "instrument-sans-latin-wght-normal.woff2",
    "sometype-mono": "sometype-mono-latin-wght-normal.woff2",
}


class BuildError(ReelError, RuntimeError):
    """Raised when a step of the build fails or Node is missing."""


def build_assets() -> int:
    """Install the pinned packages, copy libraries and fonts with their licences, compile the styles.

    Reel's own scripts and icons lie where they are served from.
    """
    static = UI / "static" / "reel"
    shutil.rmtree(static / "fonts", ignore_errors=True)
    (static / "fonts").mkdir(parents=True)
    _run("npm", "ci", "--no-audit", "--no-fund", "--ignore-scripts")
    for name, file in FONTS.items():
        package = MODULES / "@fontsource-variable" / name
        shutil.copy(package / "files" / file, static / "fonts" / f"{name}.woff2")
        shutil.copy(package / "LICENSE", static / "fonts" / f"{name}.LICENSE.txt")
    _copy(MODULES / "htmx.org" / "dist" / "htmx.min.js", static / "htmx.js")
    _copy(MODULES / "@alpinejs" / "csp" / "dist" / "cdn.min.js", static / "alpine.js")
    css = MODULES / ".bin" / "tailwindcss"
    _run(str(css), "--input", str(UI / "styles" / "app.css"), "--output", str(static / "app.css"), "--minify")
    return 0


def _copy(source: Path, target: Path) -> None:
    if not source.exists():
        raise BuildError(f"{source.name} is missing; is the npm package installed?")
    shutil.copy(source, target)


def _run(*command: str) -> None:
    try:
        subprocess.run(command, cwd=ROOT, check=True)
    except FileNotFoundError as error:
        raise BuildError(f"{command[0]} is missing; building the assets needs Node and npm.") from error
    except subprocess.CalledProcessError as error:
        raise BuildError(f"{command[0]} failed with status {error.returncode}.") from error
