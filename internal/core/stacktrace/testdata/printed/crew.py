import sys


class CrewError(Exception):
    pass


def find(roster, name):
    return roster[name]


def assign(roster, name):
    try:
        return find(roster, name)
    except KeyError as e:
        raise CrewError(f"nobody is called {name}\n  File \"not/a/frame.py\", line 3") from e


def deep(n):
    return deep(n + 1)


def many():
    raise ExceptionGroup("two gates failed", [ValueError("north"), TypeError("south")])


{"cause": lambda: assign({}, "Ines"), "deep": lambda: deep(0), "group": many, "syntax": lambda: compile("def f(:\n  pass", "rules.py", "exec")}[sys.argv[1]]()
