"""Pictures made elsewhere, for Qt."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage


def image_of(picture: NDArray[np.uint8]) -> QImage:
    """picture : (height, width, 4) uint8, red, green, blue, alpha; copied"""
    height, width, _ = picture.shape
    return QImage(picture.data, width, height, 4 * width, QImage.Format.Format_RGBA8888).copy()
