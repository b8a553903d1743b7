"""A copy of the tree in which faults are planted."""
import shutil
import subprocess


def copy_tree(top, work, but=()):
    """The files that git knows, and new ones, into `work`/tree, `but` some; unchanged ones keep their times."""
    names = subprocess.run(["git", "ls-files", "-co", "--exclude-standard"], cwd=top, check=True,
                           capture_output=True, text=True).stdout.splitlines()
    tree = work / "tree"
    for name in names:
        source, to = top / name, tree / name
        if not source.is_file() or name in but:
            continue
        data = source.read_bytes()
        if to.is_file() and to.read_bytes() == data:
            continue
        to.parent.mkdir(parents=True, exist_ok=True)
        to.write_bytes(data)
        shutil.copymode(source, to)
    known = {*names, *but}
    for path in list(tree.rglob("*")):
        if path.is_file() and str(path.relative_to(tree)) not in known:
            path.unlink()
    return tree
