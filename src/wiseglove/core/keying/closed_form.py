"""What is used of pymatting: the matting Laplacian of Levin, Lischinski and Weiss 2008, and what solves with it.

That package imports all its methods at once, and those that nothing here uses compile for minutes the first time on a
machine. So its packages are put in place without what they import, and only the files that are wanted are read.
"""

from __future__ import annotations

import sys
from importlib.util import find_spec, module_from_spec

for _part in ("", ".util", ".laplacian", ".preconditioner", ".solver", ".alpha"):
    _name = f"pymatting{_part}"
    if _name not in sys.modules:
        _spec = find_spec(_name)
        if _spec is None:
            raise ImportError(f"{_name} is missing. Run: make setup", name=_name)
        sys.modules[_name] = module_from_spec(_spec)

from pymatting.alpha.estimate_alpha_cf import estimate_alpha_cf  # noqa: E402
from pymatting.laplacian.cf_laplacian import cf_laplacian  # noqa: E402
from pymatting.preconditioner.ichol import ichol  # noqa: E402
from pymatting.solver.cg import cg  # noqa: E402

__all__ = ["cf_laplacian", "cg", "estimate_alpha_cf", "ichol"]
