"""Long lists come in pages; the address of the next one is in the Link header (RFC 8288)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Query, Request, Response
from sqlalchemy import Select
from sqlalchemy.orm import Session

T = TypeVar("T")
MOST = 500


class Paging:
    """Which part of a list is asked for."""

    def __init__(
        self,
        request: Request,
        response: Response,
        limit: Annotated[int, Query(ge=1, le=MOST, description="how many at most")] = 200,
        after: Annotated[int, Query(ge=0, le=10_000_000, description="how many to pass over")] = 0,
    ) -> None:
        self._request, self._response, self._limit, self._after = request, response, limit, after

    def rows(self, session: Session, query: Select[T]) -> Sequence[T]:
        """The rows of this page; where there are more, the answer says where."""
        found = session.scalars(query.offset(self._after).limit(self._limit + 1)).all()
        if len(found) > self._limit:
            following = self._request.url.include_query_params(limit=self._limit, after=self._after + self._limit)
            self._response.headers["Link"] = f'<{following.path}?{following.query}>; rel="next"'
        return found[: self._limit]


Page = Annotated[Paging, Depends()]
LINKED: dict[int | str, dict[str, Any]] = {
    200: {"headers": {"Link": {"description": 'where the next page is, rel="next"', "schema": {"type": "string"}}}}
}
"""What lists add to the description of their answers."""
