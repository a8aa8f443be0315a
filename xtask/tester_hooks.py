"""Bodies that are files: sent as they are, and taken as they come."""

import schemathesis

FILES = ("application/zip", "application/vnd.sqlite3")


@schemathesis.serializer(*FILES)
def as_it_is(ctx, value):
    """Whatever was thought of, as bytes."""
    return value if isinstance(value, bytes) else str(value).encode("utf-8", "surrogatepass")


@schemathesis.deserializer(*FILES)
def as_it_came(ctx, response):
    """What a schema of bytes is held against."""
    return response.content.decode("latin-1")
