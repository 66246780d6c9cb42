"""The page of all verbs, made from the parser itself so that it cannot be behind."""

from __future__ import annotations

import argparse

from nuvlo.cli.main import command_line

HEAD = """# The command line

Made by `make manual`. Every verb takes `--json` and then prints one document; values are written as builders write them (`4k7`,
`10,5 mV`). `nuvlo` is `.venv/bin/nuvlo` where nothing else put it on the path; alone it opens the shelf. Exit status: 0 done, 1 something in the input is
wrong or cannot be solved, 2 wrong usage. Rows of a CSV that cannot be read are named and left out.
"""
FIRST = """
## Some to begin with

    nuvlo demo                                          # the demo workshop
    nuvlo open PATH                                     # a kit folder, its zip, or a workshop folder
    nuvlo kit check FOLDER                              # what is wrong with a kit
    nuvlo predict FOLDER --measured parts.csv           # what each test point should read
    nuvlo diagnose FOLDER --readings readings.csv       # what single mistake explains what was read
    nuvlo solve FILE.cir op --vary "r1=4k7:5%,q1.bf=100..400" --builds 2000
    nuvlo recipe pad db=20 seen=600
"""


def verbs_page() -> str:
    """Every verb with what it does, how it is called, and its options."""
    out = [HEAD, FIRST]
    for name, parser in _verbs(command_line()):
        actions = [a for a in parser._actions if a.dest not in ("help", "json") and a.help != argparse.SUPPRESS]
        usage = " ".join([name, *(_given(a) for a in sorted(actions, key=lambda a: bool(a.option_strings)))])
        out.append(f"\n## {name}\n\n{_sentence(parser.description or '')}\n\n    nuvlo {usage}\n")
        told = [(", ".join(a.option_strings) or _value(a), a.help.replace("%%", "%")) for a in actions if a.help]
        if told:
            out.append("\n" + "\n".join(f"- `{called}`: {says}" for called, says in told) + "\n")
    return "".join(out)


def _verbs(parser: argparse.ArgumentParser, before: str = "") -> list[tuple[str, argparse.ArgumentParser]]:
    """Every verb by its whole name, those of a group one by one."""
    out: list[tuple[str, argparse.ArgumentParser]] = []
    for group in (a for a in parser._actions if isinstance(a, argparse._SubParsersAction)):
        for name, one in group.choices.items():
            given = [_value(a) for a in one._actions if not a.option_strings and not isinstance(a, argparse._SubParsersAction)]
            inner = _verbs(one, " ".join([f"{before}{name}", *given, ""]))
            out += inner or [(f"{before}{name}", one)]
    return out


def _value(action: argparse.Action) -> str:
    """What stands for the value of an argument."""
    if action.choices is not None and action.metavar is None:
        return "|".join(map(str, action.choices))
    return str(action.metavar or (action.dest.upper() if action.option_strings else action.dest))


def _given(action: argparse.Action) -> str:
    """How an argument is written in a call."""
    value = "" if action.nargs == 0 else _value(action)
    many = f"{value} …" if action.nargs in ("*", "+") else value
    said = " ".join(w for w in (action.option_strings[-1] if action.option_strings else "", many) if w)
    return said if action.required and action.nargs != "*" else f"[{said}]"


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}." if text else ""
