"""The application without a server, and the demo opened in it."""

import pytest

from fern_tide.web.app import create_app


@pytest.fixture
def app(studio):
    made = create_app(studio)
    made.config["WTF_CSRF_ENABLED"] = False
    return made


@pytest.fixture
def client(app):
    return app.test_client()


@pytest.fixture
def demo(demo_key):
    return demo_key
