"""How colours look to people who lack one kind of cone, so that a gradient can be checked to work for them.

Source: Machado, Oliveira and Fernandes, A Physiologically-based Model for Simulation of Color Vision Deficiency
(2009), at full severity; the matrices act on linear light.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

WITHOUT = {
    "protanopia": ((0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216), (-0.003882, -0.048116, 1.051998)),
    "deuteranopia": ((0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413), (-0.011820, 0.042940, 0.968881)),
    "tritanopia": ((1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602), (0.004733, 0.691367, 0.303900)),
}
"""Without the cones for long, medium and short waves."""


def seen_without(linear: npt.NDArray[np.float64], sight: str) -> npt.NDArray[np.float64]:
    """Linear colours, (count, 3), as they look with that sight, held to 0–1."""
    return np.asarray(np.clip(np.clip(linear, 0.0, 1.0) @ np.array(WITHOUT[sight]).T, 0.0, 1.0))
