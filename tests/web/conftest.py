"""What the tests of pages share."""

import pytest

from tests.core.studies import baffle, tray, variant
from tests.web.helpers import client, take_in, up_to_date


@pytest.fixture(autouse=True)
def fresh_tab(request):
    """What a page remembers for its tab (camera, quantity) is no business of the next test."""
    if "browser" not in request.fixturenames:
        return
    browser, address = request.getfixturevalue("browser"), request.getfixturevalue("brook_server")
    browser.get(address)
    browser.execute_script("sessionStorage.clear(); localStorage.setItem('brook visit', 'done')")
    browser.get_log("browser")  # what the page of the test before complained of is no business of this one either


@pytest.fixture
def done(brook_server):
    """The short tray with both of its variants run."""
    with client(brook_server) as http:
        slug = take_in(http, tray())
        up_to_date(http, slug)
        return slug


@pytest.fixture(scope="session")
def four_done(brook_server):
    """Four variants, all run. Tests that change the study take it back."""
    shapes = [
        ("plain", []),
        ("early", [baffle()]),
        ("late", [baffle(left="80 mm")]),
        ("long", [baffle(height="35 mm")]),
    ]
    study = tray(title="Four trays", variants=[variant(n, n.capitalize(), s) for n, s in shapes])
    with client(brook_server) as http:
        slug = take_in(http, study)
        up_to_date(http, slug)
        return slug
