"""Where a device's settings and measurements lie in its registers, as its maker's document says."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..trade.measures import MEASURES
from .base import Document, Shown

Table = Literal["holding", "input"]
Kind = Literal["u16", "i16", "u32", "i32", "f32", "string"]
WIDTH: dict[str, int] = {"u16": 1, "i16": 1, "u32": 2, "i32": 2, "f32": 2}
At = Annotated[int, Field(ge=0, le=65_535, description="address of a register, from 0")]


class Opening(Document):
    """What has to be written before a register takes a value."""

    at: At
    value: Annotated[int, Field(ge=0, le=65_535, description="a register's value")]


class Register(Document):
    """Where a value lies and how it is written: raw figure times ``scale`` is what the display shows; ``enum`` gives its words.

    A time of day lies there in minutes from midnight.
    """

    registers: Table = "holding"
    at: At
    type: Kind = "u16"
    length: Annotated[int, Field(ge=1, le=32, description="registers of a text")] = 1
    word_order: Literal["big", "little"] = "big"
    scale: Annotated[float, Field(gt=0, le=1e6, description="a factor")] = 1.0
    enum: Annotated[
        dict[Annotated[str, Field(pattern=r"^\d{1,10}$")], Shown], Field(max_length=100, description="at most 100 words by number")
    ] = {}
    write: bool = False
    unlock: Opening | None = None

    @property
    def width(self) -> int:
        """How many registers it takes."""
        return WIDTH.get(self.type, self.length)

    @model_validator(mode="after")
    def _fits(self) -> Register:
        if self.at + self.width > 65_536:
            raise ValueError("it ends beyond the last register")
        if self.write and self.registers == "input":
            raise ValueError("an input register cannot be written")
        if self.enum and self.type in ("f32", "string"):
            raise ValueError("words go by whole numbers")
        return self


class MeasuredAt(Document):
    """Where one measurement lies; ``sign`` turns it round where the device counts the other way."""

    measure: Annotated[str, Field(max_length=40)]
    register_: Annotated[Register, Field(alias="register")]
    sign: Literal[1, -1] = 1

    @model_validator(mode="after")
    def _known(self) -> MeasuredAt:
        if self.measure not in MEASURES:
            raise ValueError(f"{self.measure} is not a known measurement")
        return self


class Block(Document):
    """Registers that may be read in one request."""

    registers: Table = "holding"
    at: At
    count: Annotated[int, Field(ge=1, le=125, description="registers of one request")]


class RegisterMap(Document):
    """How a device is spoken to over Modbus: its unit id, speed of a serial line, blocks, pauses, measurements."""

    unit_id: Annotated[int, Field(ge=0, le=247, description="unit id")] = 1
    bitrate: Annotated[int, Field(ge=300, le=1_000_000, description="bits a second")] = 9600
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    blocks: Annotated[list[Block], Field(max_length=100)] = []
    most_registers: Annotated[int, Field(ge=1, le=125, description="registers of one request at most")] = 60
    least_pause_ms: Annotated[float, Field(ge=0, le=5000, description="milliseconds between two requests")] = 20
    measurements: Annotated[list[MeasuredAt], Field(max_length=60)] = []

    @model_validator(mode="after")
    def _once(self) -> RegisterMap:
        names = [m.measure for m in self.measurements]
        if len(set(names)) < len(names):
            raise ValueError("a measurement stands twice")
        return self
