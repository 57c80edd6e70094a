"""What every answer is made from."""

from pydantic import BaseModel, ConfigDict


class Out(BaseModel):
    """A part of an answer.

    Not ninja's Schema, which asks each attribute whether it is a Django manager: made from keyword arguments, a row costs
    a fiftieth this way.
    """

    model_config = ConfigDict(from_attributes=True)
