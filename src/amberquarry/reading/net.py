"""The reader's net at run time. The only module that imports ONNX Runtime."""

from __future__ import annotations

import hashlib
import json
from functools import lru_cache
from pathlib import Path
from typing import Protocol

import numpy as np
import onnxruntime
from numpy.typing import NDArray

from amberquarry.errors import ModelError
from amberquarry.reading.alphabet import EUROPEAN, Alphabet
from amberquarry.reading.ground import LINE_HEIGHT, TIME_STRIDE
from amberquarry.reading.steps import Steps

DEFAULT_MODEL = Path(__file__).parent.parent / "models" / "lines.onnx"


class LineNetwork(Protocol):
    """What decoding needs of a net; tests pass a stand-in."""

    digest: str
    alphabet: Alphabet

    def steps(self, ink: NDArray[np.float32]) -> Steps:
        """Return what a line picture (LINE_HEIGHT, W) shows at each step."""
        ...


class OnnxLineNetwork:
    """A trained net in an ONNX file."""

    def __init__(self, path: Path, threads: int = 1) -> None:
        try:
            data = path.read_bytes()
        except OSError as error:
            raise ModelError(
                f"{path}: the model file can't be read ({error.strerror}); install "
                "the package again or name another file"
            ) from error
        self.digest = hashlib.sha256(data).hexdigest()[:16]
        expected = expected_digest(path)
        if expected and expected != self.digest:
            raise ModelError(
                f"{path}: damaged or exchanged: its hash is {self.digest}, its card expects "
                f"{expected}; install the package again or make the model anew"
            )
        options = onnxruntime.SessionOptions()
        options.intra_op_num_threads = threads
        options.inter_op_num_threads = 1
        options.log_severity_level = 3
        try:
            self._session = onnxruntime.InferenceSession(
                data, options, providers=["CPUExecutionProvider"]
            )
            shape = self._session.get_outputs()[0].shape
        except Exception as error:  # the runtime has no error class of its own to name
            raise ModelError(
                f"{path}: not a model of the line reader, or damaged "
                f"(its hash is {self.digest}); install the package again"
            ) from error
        self.alphabet = EUROPEAN
        if shape[-1] != self.alphabet.classes:
            raise ModelError(
                f"{path}: made for {shape[-1]} classes, this version knows "
                f"{self.alphabet.classes}; use a model trained with this version"
            )

    def steps(self, ink: NDArray[np.float32]) -> Steps:
        """Return what a line picture (LINE_HEIGHT, W), W >= 1, shows at each step."""
        if ink.ndim != 2 or ink.shape[0] != LINE_HEIGHT or ink.shape[1] == 0:
            raise ValueError(f"need a picture ({LINE_HEIGHT}, W), got shape {ink.shape}")
        width = -(-ink.shape[1] // (4 * TIME_STRIDE)) * 4 * TIME_STRIDE
        padded = np.zeros((1, 1, LINE_HEIGHT, width), np.float32)
        padded[0, 0, :, : ink.shape[1]] = ink
        classes, styles = self._session.run(None, {"ink": padded})
        return Steps(classes[0], styles[0], self.alphabet)


@lru_cache(maxsize=4)
def load_network(path: str | Path = "") -> LineNetwork:
    """Return the net of a model file, loaded once for each file; by default the package's own."""
    return OnnxLineNetwork(Path(path or DEFAULT_MODEL))


def expected_digest(path: Path) -> str | None:
    """Return the digest that the card beside a model file gives, None where there is no card."""
    card = path.with_suffix(".json")
    try:
        found = json.loads(card.read_text(encoding="utf-8"))["sha256"]
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return str(found)[:16]
