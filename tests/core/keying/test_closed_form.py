"""Of the package for closed form only what is used is read, since the rest compiles for minutes."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import scipy.sparse.linalg

from wiseglove.core.keying.closed_form import cf_laplacian, cg, ichol

READ = """
import sys
import wiseglove.core.keying.closed_form
print(*(n for n, m in sys.modules.items() if n.startswith("pymatting") and hasattr(m, "np")))
"""


def test_nothing_else_of_it_is_read() -> None:
    read = subprocess.run([sys.executable, "-c", READ], capture_output=True, text=True, check=True).stdout.split()
    assert "pymatting.laplacian.cf_laplacian" in read
    assert not set(read) & {
        "pymatting.alpha.estimate_alpha_sm",
        "pymatting.laplacian.lbdm_laplacian",
        "pymatting.util.kdtree",
    }


def test_a_line_of_colour_has_no_cost_and_the_solver_finds_it() -> None:
    """Levin et al. 2008, theorem 1 (from memory): where colours lie on a line in each window, the true alpha is in the null space."""
    alpha = np.linspace(0.0, 1.0, 12)[None].repeat(9, 0)
    picture = alpha[..., None] * (0.8, 0.5, 0.3) + (1 - alpha[..., None]) * (0.1, 0.2, 0.4)
    lines = cf_laplacian(picture, 1e-9, 1, np.zeros(alpha.size, bool))
    other = np.random.default_rng(4).random(alpha.size)
    assert alpha.ravel() @ lines @ alpha.ravel() < 1e-4 * (other @ lines @ other)
    held = np.zeros(alpha.shape)
    held[:, [0, -1]] = 1e3
    system = (lines + scipy.sparse.diags(held.ravel())).tocsc()
    found = cg(system, (held * alpha).ravel(), M=ichol(system))
    assert abs(found - scipy.sparse.linalg.spsolve(system, (held * alpha).ravel())).max() < 1e-5
    assert abs(found - alpha.ravel()).max() < 0.05
