"""Golden files hold every key, and do not change unseen.

Usage: check_golden.py SOURCE_FOLDER

Each key of the tables in docs/recipe.md, shaping.md, target.md, states.md and rig-sheet.md is used in some file of
tests/golden/data; and the commit that changed tests/golden/expected last, or one behind it, says in CHANGELOG.md what
has changed, in a line with numbers:, format: or cli:.
"""
import pathlib
import re
import subprocess
import sys

DOCS = {"recipe": "", "shaping": "", "target": "\n## Checking", "states": "", "rig-sheet": ""}


def keys_of(text):
    """Words in the first column of tables."""
    for row in re.findall(r"\n\| ([^|]*`[^|]*) \|", text):
        yield from re.findall(r"`(?:\[\[)?(?:\w+\.)?([a-z_]+)(?:\]\])?`", row)


def unused(top):
    data = "".join(path.read_text() for path in sorted((top / "tests/golden/data").rglob("*.toml")))
    for doc, end in DOCS.items():
        text = (top / f"docs/{doc}.md").read_text()
        for key in sorted(set(keys_of(text[:text.index(end)] if end else text))):
            if not re.search(rf"(^|[\s{{,.\[])(\[\[\w*\.?)?{key}(\s*=|\]\])", data, re.M):
                yield f"docs/{doc}.md: `{key}` is in no file of tests/golden/data"


def unsaid(top):
    git = ["git", "-C", str(top)]
    last = subprocess.run([*git, "log", "-1", "--format=%H", "--", "tests/golden/expected"], capture_output=True, text=True)
    if last.returncode != 0 or not last.stdout.strip():
        return
    since = f"{last.stdout.strip()}^..HEAD"
    diff = subprocess.run([*git, "log", "-p", since, "--", "CHANGELOG.md"], capture_output=True, text=True).stdout
    if not re.search(r"^\+.*(numbers|format|cli):", diff, re.M):
        yield (f"tests/golden/expected was changed by {last.stdout[:10]}, and no line with numbers:, format: or cli: "
               "was added to CHANGELOG.md since")


def main():
    top = pathlib.Path(sys.argv[1])
    wrong = [*unused(top), *unsaid(top)]
    print("\n".join(wrong) or "golden files use every key, and the changelog says what has changed")
    return 1 if wrong else 0


sys.exit(main())
