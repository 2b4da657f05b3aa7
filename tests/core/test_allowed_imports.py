import ast
from pathlib import Path

CORE = Path(__file__).resolve().parents[2] / "src" / "verdigris" / "core"
PURE_STANDARD = {"collections", "copy", "itertools", "dataclasses", "typing", "functools", "math", "fractions", "enum"}
ALLOWED = PURE_STANDARD | {"numpy", "scipy", "cv2", "PyOpenColorIO", "numba", "verdigris"}


def test_the_core_imports_only_arrays_and_pure_parts():
    files = list(CORE.rglob("*.py"))
    assert len(files) > 15
    for file in files:
        for node in ast.walk(ast.parse(file.read_text())):
            names = (
                [a.name for a in node.names]
                if isinstance(node, ast.Import)
                else [node.module or ""]
                if isinstance(node, ast.ImportFrom)
                else []
            )
            for name in names:
                top = name.split(".")[0]
                assert top in ALLOWED, f"{file.name} imports {name}"
                assert top != "verdigris" or name.startswith("verdigris.core"), f"{file.name} imports {name}"
