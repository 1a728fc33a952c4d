"""Call the command line as another program would."""

from fern_tide.cli import main


def run(*words) -> int:
    return main([str(word) for word in words])


def refused(capsys, *words) -> str:
    try:
        code = run(*words)
    except SystemExit as stop:
        code = stop.code
    said = capsys.readouterr()
    assert code == 2
    assert said.err.count("\n") == 1 and "Traceback" not in said.err
    assert said.out == ""
    return said.err
