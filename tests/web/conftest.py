"""The application without a server, and the demo opened in it."""

from copy import copy

import pytest

from fern_tide.web.app import create_app
from fern_tide.web.context import Services
from fern_tide.workflows.studio import Settings, Studio


@pytest.fixture(scope="session")
def one_app(tmp_path_factory):
    """An application, made once: its addresses and templates are the same over every studio."""
    empty = Studio.open(Settings(data=tmp_path_factory.mktemp("app") / "data"))
    yield create_app(empty)
    empty.close()


@pytest.fixture
def app(one_app, studio, monkeypatch):
    """The application over a test's own studio, with settings of its own."""
    monkeypatch.setitem(one_app.extensions, "fern_tide", Services.of(studio))
    monkeypatch.setattr(one_app, "config", copy(one_app.config))
    one_app.config["WTF_CSRF_ENABLED"] = False
    return one_app


@pytest.fixture
def client(app):
    return app.test_client()


@pytest.fixture
def demo(demo_key):
    return demo_key
