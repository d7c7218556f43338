"""What is believed of a heat-up before its readings are looked at."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.heatup.basis import Linear


class Known(Struct, frozen=True):
    """Beliefs before the fit: of what is searched for, means and deviations (d,); of the linear part."""

    mean: Array
    sd: Array
    linear: tuple[tuple[float, Linear], ...]

    def log(self, search: Array) -> Array:
        """Logarithm of the prior's density, up to a constant, at each row of `search`."""
        return np.asarray((-0.5 * ((search - self.mean) / self.sd) ** 2 - np.log(self.sd)).sum(1))
