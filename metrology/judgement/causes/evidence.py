"""How well a shape explains readings: evidence of a linear model with normal noise, each shape free or known to be small.

With e the errors, F the shapes, T the diagonal of how large each shape is on a healthy instrument and s the noise, e is normal with
covariance C = s^2 I + F T^2 F'. A fault is one or two shapes, or one reading, of a size of their own on top of that: the likelihood at its best
size, times the density of such a size beforehand, times the width of the best size (Laplace). Wide models pay for what they could also
have explained. Source: MacKay, Information Theory, Inference, and Learning Algorithms (2003), chapter 28.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from operator import mul

TWO_PI = 2 * math.pi
IMPOSSIBLE = -math.inf
FEW = 12  # readings, each of which is looked at as the one that may be off


def dot(a: Sequence[float], b: Sequence[float]) -> float:
    """Sum of products."""
    total: float = sum(map(mul, a, b))
    return total


def log_size(size: float, *, about: float, spread: float) -> float:
    """Log density of a size of either sign: normal in its logarithm, `about` in the middle, `spread` one standard deviation."""
    a = max(abs(size), 1e-12)
    z = math.log(a / about) / spread
    return -0.5 * z * z - math.log(2 * a * spread) - 0.5 * math.log(TWO_PI)


def mix(logs: Sequence[float]) -> float:
    """Log of the sum of exponentials."""
    top = max(logs, default=IMPOSSIBLE)
    return top if top == IMPOSSIBLE else top + math.log(sum(math.exp(v - top) for v in logs))


@dataclass(frozen=True)
class Odd:
    """A reading taken as one that may be off: what pulls at it and how firmly it is held by the others."""

    k: int
    pull: float
    weight: float
    root: list[float]

    @property
    def size(self) -> float:
        """How far it is from where the others say."""
        return self.pull / self.weight

    @property
    def gain(self) -> float:
        """What leaving it out adds to the log likelihood."""
        return 0.5 * self.pull * self.size

    @property
    def width(self) -> float:
        """The log of the width of its size."""
        return 0.5 * math.log(TWO_PI / self.weight)


class Design:
    """Errors and shapes; small: how large each shape is on a healthy instrument, in the unit of the errors."""

    def __init__(self, errors: Sequence[float], shapes: Sequence[Sequence[float]], small: Sequence[float]) -> None:
        self.errors, self.small = list(errors), small
        self.rows = [[t * v for t, v in zip(small, row, strict=True)] for row in shapes]
        self.raw = [list(row) for row in shapes]
        columns = list(zip(*self.raw, strict=True)) if self.raw else [() for _ in small]
        self.gram = [[dot(a, b) for b in columns] for a in columns]
        self.inner = [[small[i] * self.gram[i][j] * small[j] for j in range(i + 1)] for i in range(len(small))]
        self.scaled = [[small[i] * row[j] for i, row in enumerate(self.gram)] for j in range(len(small))]
        self.with_errors = [dot(a, self.errors) for a in columns]
        self.square = dot(self.errors, self.errors)

    def at(self, noise: float) -> AtNoise:
        """With one standard deviation of the noise."""
        return AtNoise(self, noise)


class AtNoise:
    """A design at one noise: log likelihood with no fault, and fits of faults on top."""

    def __init__(self, design: Design, noise: float) -> None:
        self.design, self.variance = design, noise * noise
        small, count, n = design.small, len(design.small), len(design.errors)
        inner = [list(row) for row in design.inner]
        for i in range(count):
            inner[i][i] += self.variance
        self._lower = _cholesky(inner)
        self._w = self._solve([small[i] * v for i, v in enumerate(design.with_errors)])
        log_det = (n - count) * math.log(self.variance) + 2 * sum(math.log(row[-1]) for row in self._lower)
        self.misfit = 0.5 * (design.square - dot(self._w, self._w)) / self.variance  # all that any fault could add
        self.healthy = -0.5 * (n * math.log(TWO_PI) + log_det) - self.misfit

    def weigh(self, mixed: Sequence[Sequence[float]]) -> AtNoise:
        """Faults as sums of shapes, one row of shares a fault; the fits after it are of these."""
        design, count, v = self.design, len(self.design.small), self.variance
        self._columns = [self._solve(column) for column in design.scaled]
        plain = [[(design.gram[i][j] - dot(self._columns[i], self._columns[j])) / v for j in range(i + 1)] for i in range(count)]
        for i in range(count):
            plain[i] += [plain[j][i] for j in range(i + 1, count)]
        pull = [(design.with_errors[j] - dot(self._columns[j], self._w)) / v for j in range(count)]
        self._mixed, self.pull = mixed, [dot(row, pull) for row in mixed]
        half = [_mix(row, plain) for row in mixed]
        self.weight = [[dot(a, b) for b in mixed] for a in half]
        return self

    def one(self, j: int) -> tuple[float, float, float]:
        """A fault of free size: its best size, what it adds to the log likelihood, the log of its width; size 0 where the readings can't tell."""
        pull, w = self.pull[j], self.weight[j][j]
        return (pull / w, 0.5 * pull * pull / w, 0.5 * math.log(TWO_PI / w)) if w > 0 else (0.0, 0.0, 0.0)

    def two(self, i: int, j: int) -> tuple[float, float, float, float]:
        """Two faults of free sizes: both sizes, what they add, the log of their width; sizes 0 where the readings can't tell them apart."""
        return _two(self.pull[i], self.pull[j], self.weight[i][i], self.weight[i][j], self.weight[j][j])

    def away(self, i: int, j: int, off: tuple[float, float]) -> float:
        """What the log likelihood of two faults loses where their sizes are off by this."""
        a, b = off
        return 0.5 * (a * a * self.weight[i][i] + 2 * a * b * self.weight[i][j] + b * b * self.weight[j][j])

    def doubtful(self, most: int) -> list[int]:
        """The readings that stand furthest from what the others say."""
        n = len(self.design.errors)
        if n <= FEW:
            gains = [(o.gain, k) for k, o in enumerate(map(self.reading, range(n)))]
        else:  # the shapes' own likely sizes; how firmly each reading is held hardly differs
            sizes = [t * v for t, v in zip(self.design.small, _back(self._lower, self._w), strict=True)]
            gains = [(abs(e - dot(row, sizes)), k) for k, (e, row) in enumerate(zip(self.design.errors, self.design.raw, strict=True))]
        return [k for _, k in sorted(gains, reverse=True)[:most]]

    def reading(self, k: int) -> Odd:
        """One reading of free error."""
        z = self._solve(self.design.rows[k])
        return Odd(k, (self.design.errors[k] - dot(z, self._w)) / self.variance, max(1e-12, 1.0 - dot(z, z)) / self.variance, z)

    def beside(self, odd: Odd, j: int) -> tuple[float, float, float, float]:
        """One reading of free error beside a fault: both sizes, what they add, the log of their width."""
        plain = [(v - dot(odd.root, c)) / self.variance for v, c in zip(self.design.raw[odd.k], self._columns, strict=True)]
        return _two(odd.pull, self.pull[j], odd.weight, dot(self._mixed[j], plain), self.weight[j][j])

    def _solve(self, b: Sequence[float]) -> list[float]:
        out: list[float] = []
        for row, value in zip(self._lower, b, strict=True):
            out.append((value - dot(row, out)) / row[-1])  # `out` is shorter by one than the row: its diagonal is left out
        return out


def _mix(row: Sequence[float], plain: list[list[float]]) -> list[float]:
    used = [(share, plain[i]) for i, share in enumerate(row) if share]
    if len(used) == 1 and used[0][0] == 1:
        return used[0][1]
    return [sum(share * p[j] for share, p in used) for j in range(len(plain))]


def _two(p: float, q: float, a: float, b: float, c: float) -> tuple[float, float, float, float]:
    det = a * c - b * b
    if a <= 0 or c <= 0 or det <= 1e-9 * a * c:
        return 0.0, 0.0, 0.0, 0.0
    x, y = (c * p - b * q) / det, (a * q - b * p) / det
    return x, y, 0.5 * (p * x + q * y), math.log(TWO_PI) - 0.5 * math.log(det)


def _back(lower: list[list[float]], w: Sequence[float]) -> list[float]:
    """Solve with the transpose of a lower triangle."""
    out = list(w)
    for i in range(len(lower) - 1, -1, -1):
        out[i] /= lower[i][i]
        for j in range(i):
            out[j] -= lower[i][j] * out[i]
    return out


def _cholesky(lower: list[list[float]]) -> list[list[float]]:
    """The lower triangle of a symmetric matrix becomes its root; row by row."""
    made: list[list[float]] = []
    for i, row in enumerate(lower):
        out: list[float] = []
        for j in range(i):
            out.append((row[j] - dot(made[j][:j], out)) / made[j][j])
        out.append(math.sqrt(max(row[i] - dot(out, out), 1e-300)))
        made.append(out)
    return made
