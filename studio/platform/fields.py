"""Kinds of numbers that the API takes, bounded by what the database can hold."""

from typing import Annotated

from pydantic import Field

Id = Annotated[int, Field(ge=0, le=2**63 - 1)]
Count = Annotated[int, Field(ge=0, le=1_000_000_000)]
