"""The web application: server-rendered pages, one blueprint per stage."""

from .app import create_app

__all__ = ["create_app"]
