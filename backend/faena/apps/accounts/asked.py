"""Which request is being answered: set at the edge, read by the record and by our own logs."""

from contextvars import ContextVar

request_id: ContextVar[str] = ContextVar("request_id", default="")
address_of_request: ContextVar[str] = ContextVar("address_of_request", default="")
