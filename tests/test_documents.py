"""What is written for people is true: files named exist, verbs named exist, every field of the format is described."""

import re
import subprocess
import tomllib
from pathlib import Path

import pytest

from nuvlo.cli import _parser
from nuvlo.kit import KitFile
from nuvlo.workshop import SHIPPED

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text()


def test_every_link_of_the_readme_leads_somewhere():
    links = re.findall(r"\]\(([^)#]+)\)", README)
    assert links
    assert [link for link in links if not (ROOT / link).exists()] == []


def test_every_screenshot_is_current_in_name_and_linked():
    pictures = {p.name for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    taken = {
        f"{name}.png" for name in re.findall(r'shoot\("([a-z-]+)"\)', (ROOT / "tools" / "screenshots.py").read_text())
    }
    assert pictures == taken
    assert 0 < len(pictures) < 20
    assert all(f"docs/screenshots/{name}" in README for name in pictures)


def test_every_verb_of_the_readme_is_a_verb():
    verbs = {line.split()[1] for line in README.splitlines() if line.strip().startswith(".venv/bin/nuvlo")}
    known = _parser()._subparsers._group_actions[0].choices
    assert verbs == set(known)


def test_the_kit_format_describes_every_field():
    text = (ROOT / "docs" / "kit-format.md").read_text()
    for name, field in KitFile.model_fields.items():
        model = field.annotation
        while not hasattr(model, "model_fields"):
            model = next(a for a in model.__args__ if a is not type(None) and a is not Ellipsis)
        missing = [key for key in model.model_fields if not re.search(rf"\b{key}\b", text)]
        assert not missing, f"[{name}] {missing}"


def test_the_columns_of_the_demo_kit_are_described():
    text = (ROOT / "docs" / "kit-format.md").read_text()
    for file in SHIPPED.glob("*/*.csv"):
        for column in file.read_text().splitlines()[0].split(","):
            assert column in text, f"{file.name}: {column}"


def test_pins_cover_what_is_needed_and_name_no_host():
    pins = (ROOT / "constraints.txt").read_text().lower().replace("_", "-")
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    for name in project["dependencies"] + project["optional-dependencies"]["dev"]:
        pinned = re.escape(name.lower().replace("_", "-"))
        assert re.search(rf"^{pinned}==", pins, re.M), name
    assert "http" not in pins
    assert "@" not in pins


@pytest.mark.parametrize("script", ["tools/bootstrap.sh", ".ci/run"])
def test_shell_scripts_parse(script):
    assert subprocess.run(["bash", "-n", str(ROOT / script)], check=False).returncode == 0


def test_the_two_commands_are_targets_of_the_makefile():
    makefile = (ROOT / "Makefile").read_text()
    for target in ("demo", "test", "lint", "screenshots", "bench"):
        assert re.search(rf"^{target}:", makefile, re.M)
        assert f"make {target}" in README
