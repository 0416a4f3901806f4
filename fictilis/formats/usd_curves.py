"""Bézier curves of OpenUSD as straight pieces."""

from __future__ import annotations

import numpy as np


def flattened(points: np.ndarray, counts: np.ndarray, periodic: bool) -> tuple[np.ndarray, np.ndarray]:
    """Bézier curves as eight straight pieces a span. Source: Bernstein polynomials."""
    u = np.arange(8)[:, None] / 8
    weights = np.concatenate([(1 - u) ** 3, 3 * u * (1 - u) ** 2, 3 * u * u * (1 - u), u**3], axis=1)
    out, sizes, start = [], [], 0
    for count in counts.tolist():
        own = points[start : start + count]
        start += count
        spans = count // 3 if periodic else (count - 1) // 3
        at = (np.arange(spans)[:, None] * 3 + np.arange(4)) % max(count, 1)
        rows = np.einsum("uk,skd->sud", weights, own[at]).reshape(-1, 3) if spans else own
        rows = rows if periodic or not spans else np.concatenate([rows, own[-1:]])
        out.append(rows)
        sizes.append(len(rows))
    return np.concatenate(out) if out else points, np.array(sizes, np.int64)
