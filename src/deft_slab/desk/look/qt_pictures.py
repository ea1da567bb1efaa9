"""Converts pictures for Qt."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap

from ...core.arrays import Bytes


def image_of(picture: Bytes) -> QImage:
    """Convert a picture.

    Parameters
    ----------
    picture : (height, width, 4) uint8
        Red, green, blue and alpha; copied.
    """
    height, width, _ = picture.shape
    return QImage(picture.data, width, height, 4 * width, QImage.Format.Format_RGBA8888).copy()


def pixmap_of(picture: Bytes, width: int, height: int) -> QPixmap:
    """Convert a picture, scaled to fit into the given number of pixels."""
    return QPixmap.fromImage(image_of(picture)).scaled(
        width, height, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    )
