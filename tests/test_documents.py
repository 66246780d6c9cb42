"""What is written for people is true: files named exist, verbs named exist, every field of the format is described."""

import os
import re
import subprocess
import tomllib
from pathlib import Path

import pytest

from nuvlo.circuit.operating_point import operating_point
from nuvlo.cli.main import command_line
from nuvlo.cli.manual import verbs_page
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import KitFile
from nuvlo.quantity import parse_value
from nuvlo.workshop.demo import SHIPPED

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


def test_the_readme_is_short():
    shown = re.sub(r"[|\[\]#*`!-]", " ", re.sub(r"\]\([^)]*\)", "]", README))
    assert len(shown.split()) <= 600


def test_the_page_of_verbs_is_as_it_is_made():
    assert (ROOT / "docs" / "command-line.md").read_text() == verbs_page(), "run make manual"


def test_every_verb_has_its_place_on_the_page_of_verbs():
    named = set(re.findall(r"^## (\S+)", (ROOT / "docs" / "command-line.md").read_text(), re.MULTILINE))
    assert set(command_line()._subparsers._group_actions[0].choices) <= named


@pytest.mark.parametrize("page", sorted(p.name for p in (ROOT / "docs").glob("*.md")))
def test_every_link_of_the_documents_leads_somewhere(page):
    links = re.findall(r"\]\(([^)#]+)\)", (ROOT / "docs" / page).read_text())
    assert [link for link in links if "://" not in link and not (ROOT / "docs" / link).exists()] == []


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


def test_without_privileges_the_missing_packages_are_named_in_one_line(tmp_path):
    """The bootstrap on a machine that lacks everything, as nobody: dpkg-query and id are stood in for."""
    stand_ins = {"dpkg-query": "exit 1", "id": "echo 1000", "apt-get": "echo never >&2; exit 9"}
    for name, body in stand_ins.items():
        (tmp_path / name).write_text(f"#!/bin/sh\n{body}\n")
        (tmp_path / name).chmod(0o755)
    environment = {**os.environ, "PATH": f"{tmp_path}:{os.environ['PATH']}"}
    done = subprocess.run(
        ["sh", str(ROOT / "tools" / "bootstrap.sh"), "test"],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1
    (line,) = [text for text in done.stderr.splitlines() if "apt-get" in text]
    assert line.strip().startswith("sudo apt-get install")
    assert "ngspice" in line
    assert "libegl1" in line


def test_an_old_python_is_refused_in_words(tmp_path):
    old = tmp_path / "python-old"
    old.write_text("#!/bin/sh\nexit 1\n")
    old.chmod(0o755)
    done = subprocess.run(
        ["sh", str(ROOT / "tools" / "bootstrap.sh"), "run"],
        env={**os.environ, "PYTHON": str(old)}, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 1
    assert "3.11 or newer" in done.stderr


def test_nothing_committed_names_a_path_of_a_machine():
    tracked = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=False).stdout.split()
    for name in tracked:
        if (
            name.endswith((".py", ".toml", ".md", ".txt", ".sh", ".cir", ".csv", ".lib"))
            and "test_documents" not in name
        ):
            text = (ROOT / name).read_text(encoding="utf-8", errors="replace")
            assert not re.search(r"/(?:root|work|home)/\w", text), name


@pytest.mark.parametrize("page", sorted((ROOT / "docs" / "kits").glob("*.md")), ids=lambda p: p.stem)
def test_kit_pages_say_what_the_solver_says(page):
    """Voltages of the table of test points, to the three digits they are given in."""
    rows = re.findall(r"\| `(\w+)` \| TP\d+ \| ([^|]+) \|", page.read_text(encoding="utf-8"))
    point = operating_point(read_kit(SHIPPED / page.stem).setup())
    assert rows
    for node, value in rows:
        if value != "—":
            said = parse_value(value, "V")
            assert float(point.voltage(node)[0]) == pytest.approx(said, rel=0.006, abs=1e-12)
