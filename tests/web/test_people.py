"""People: signing in, wrong passwords that wait, roles by study, tokens, arrays of others, and a line for every change."""

import re
from contextlib import contextmanager

import httpx
import pytest
from typer.testing import CliRunner

from brook.cli import app as commands
from brook.store import Store
from brook.store.people import EVERYBODY, People, PersonRefused, Visitor, hash_of
from brook.web.doorman import _needed, done
from brook.web.routes import API, ROUTERS
from brook.web.server import Outside, create_app
from brook.web.throttle import LONGEST, Throttle
from tests.conftest import serving
from tests.core.studies import tray
from tests.web.driving import all_of, attribute, press, text_of, wait
from tests.web.helpers import client, take_in, up_to_date

FELL, ORR, HALE = "four fells in winter", "an orrery of brass", "hale and very hearty"


@pytest.fixture
def people(tmp_path):
    store = Store(tmp_path)
    yield People(store)
    store.close()


def test_secrets_are_kept_as_hashes_and_passwords_have_to_be_worth_it(people):
    for weak in ("short", "A. Fellower"[:8], "aaaaaaaaaaaa", "password1234", "x" * 300):
        with pytest.raises(PersonRefused):
            people.add("A. Fell", weak, True)
    with pytest.raises(PersonRefused, match="first one has to administer"):
        people.add("A. Fell", FELL)
    fell = people.add("  A.  Fell ", FELL, True)
    with pytest.raises(PersonRefused, match="already"):
        people.add("a. fell", FELL)
    assert people.check("a. fell", FELL) == fell
    assert people.check("A. Fell", FELL + " ") is None
    assert people.check("nobody", FELL) is None
    row = people.every()[0]
    assert row.password.startswith("$argon2id$")
    secret, token = people.begin(fell), people.add_token(fell, "sweep", "view")
    assert people.of_session(secret).name == "A. Fell"
    assert people.of_session(hash_of(secret)) is None  # what stands in the database opens nothing
    assert people.of_token(token).most == "view"
    assert people.of_token(hash_of(token)) is None
    other = people.begin(fell)
    people.change_password(fell, ORR, keep=secret)
    assert people.of_session(other) is None
    assert people.of_session(secret) is not None
    with pytest.raises(PersonRefused, match="only one who administers"):
        people.set_administers(fell, False)
    people.remove(fell)  # nobody is left, so nobody has to sign in
    assert not people.are_there()
    assert people.of_session(secret) is None


def test_a_token_does_no_more_than_it_says_and_roles_are_the_larger_of_two():
    who = Visitor(3, "B. Orr", roles={1: "edit", 2: "administer"}, most="edit", by_token=True)
    assert [who.may(1, r) for r in ("view", "edit", "administer")] == [True, True, False]
    assert not who.may(2, "administer")
    assert not who.may(9, "view")
    assert not Visitor(1, administers=True, by_token=True).keeps_people


def test_wrong_passwords_wait_longer_and_longer_and_are_forgotten():
    now = [0.0]
    throttle = Throttle(lambda: now[0])
    waits = []
    for _ in range(20):
        throttle.failed(["a"])
        waits.append(throttle.wait({"a": 5}))
    assert waits[:4] == [0, 0, 0, 0]
    assert waits[5] == 2
    assert waits[6] == 4
    assert waits[-1] == LONGEST
    assert throttle.wait({"b": 5}) == 0
    now[0] += 2 * 3600
    assert throttle.wait({"a": 5}) == 0


def test_every_route_that_changes_something_needs_the_right_to():
    """A new route that is not looked up anywhere needs the right to edit."""
    looks = set()
    for router in (*ROUTERS, *API):
        for route in router.routes:
            found = re.fullmatch(r"/(?:api/)?studies/\{slug\}(?:/(.*))?", route.path)
            changing = route.methods - {"GET", "HEAD", "OPTIONS"}
            for method in changing if found else ():
                if _needed(False, method, re.sub(r"\{[^}]+\}", "x", found[1] or "")) == "view":
                    looks.add(found[1])
    assert looks == {
        "geometry/{name}/preview", "report/made", "report/made/{order}/stop", "variants/{name}/scene/{run}.glb", "results/{name}/movies",
        "results/{name}/files", "results/{name}/made/{order}/stop", "archive", "archive/{order}/stop",
    }  # fmt: skip
    assert _needed(False, "POST", "remove") == _needed(False, "DELETE", "") == "administer"
    assert _needed(True, "GET", "people") == "administer"
    assert done("POST", "/studies/tray/edit").startswith("changed values")


def test_nobody_serves_strangers_or_passwords_in_the_clear():
    Outside().mind("127.0.0.1", False)
    for outside, host, people in (
        (Outside(), "0.0.0.0", False), (Outside(("brook.marlbeck.example",)), "127.0.0.1", False), (Outside(), "0.0.0.0", True),
    ):  # fmt: skip
        with pytest.raises(SystemExit):
            outside.mind(host, people)
    Outside(plain=True).mind("0.0.0.0", True)
    Outside(("brook.marlbeck.example",)).mind("127.0.0.1", True)


@pytest.fixture(scope="module")
def served(tmp_path_factory):
    """A server with three people, and the address of a study that A. Fell made."""
    data = tmp_path_factory.mktemp("people")
    run = CliRunner()
    for name, password, more in (("A. Fell", FELL, ["--administers"]), ("B. Orr", ORR, []), ("C. Hale", HALE, [])):
        told = run.invoke(commands, ["people", "add", name, "--data", str(data), *more], input=password + "\n")
        assert told.exit_code == 0, told.output
    assert run.invoke(commands, ["people", "add", "D", "--data", str(data)], input="short\n").exit_code == 1
    assert "A. Fell, administers" in run.invoke(commands, ["people", "list", "--data", str(data)]).stdout
    app = create_app(data, workers=1)
    with serving(app) as address:
        with signed_in(address, "B. Orr", ORR) as orr:
            slug = take_in(orr, tray(title="Orr's tray"))
            up_to_date(orr, slug)
        yield app, address, slug


@contextmanager
def signed_in(address, name, password):
    with client(address) as http:
        answer = http.post("/login", data={"name": name, "password": password, "to": "/"})
        assert answer.status_code == 303, answer.text
        yield http


def may(app, slug, name, role):
    people = app.state.studio.people
    number = next((p.id for p in people.every() if p.name == name), EVERYBODY)
    people.share(app.state.studio.store.study_row(slug).id, number, role)


@pytest.mark.server
def test_who_is_not_signed_in_gets_nothing(served):
    app, address, slug = served
    key = app.state.studio.state(slug).variants[0].run.key
    with client(address) as http:
        page = http.get(f"/studies/{slug}?a=1", headers={"accept": "text/html"})
        assert page.status_code == 303
        assert page.headers["location"].startswith(f"/login?to=/studies/{slug}")
        for route in (f"/views/run/{key}/speed.f32", "/api/studies", f"/api/studies/{slug}", "/desk", "/room", "/people", "/me", "/find.json", "/api/openapi.json"):  # fmt: skip
            assert http.get(route).status_code == 401, route
        assert http.post("/studies", data={"title": "x"}).status_code == 401
        for header in ("Bearer x", "Bearer", "Basic Zm9v", "bearer brook_" + "a" * 43):
            assert http.get("/api/studies", headers={"authorization": header}).status_code == 401
        assert http.get("/api/studies", headers={"cookie": "brook-session=" + "a" * 43}).status_code == 401
        assert http.get("/login").status_code == 200
        assert http.get("/static/brook.css").status_code == 200
        assert http.post("/login", data={"name": "B. Orr", "password": FELL}).status_code == 401
        forged = http.post("/login", data={"name": "B. Orr", "password": ORR}, headers={"origin": "http://elsewhere.example"})  # fmt: skip
        assert forged.status_code == 403
        for to in ("//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example"):
            answer = http.post("/login", data={"name": "B. Orr", "password": ORR, "to": to})
            assert answer.headers["location"] == "/"
            http.cookies.clear()
        cookie = http.post("/login", data={"name": "B. Orr", "password": ORR}).headers["set-cookie"].lower()
        assert "httponly" in cookie
        assert "samesite=lax" in cookie


@pytest.mark.server
def test_a_study_is_not_there_for_others_and_arrays_are_not_either(served):
    app, address, slug = served
    state = app.state.studio.state(slug)
    run, mesh = state.variants[0].run.key, state.variants[0].mesh.key
    with signed_in(address, "C. Hale", HALE) as hale:
        for route in (f"/studies/{slug}", f"/api/studies/{slug}", f"/studies/{slug}/document.json", f"/studies/{slug}/events", f"/views/run/{run}/speed.f32",
                      f"/views/mesh/{mesh}/corners.f32", f"/views/mesh/{mesh}/file/x.vtu", f"/views/shape/{mesh}/small.png"):  # fmt: skip
            assert hale.get(route).status_code == 404, route
        assert slug not in hale.get("/").text
        assert "Orr" not in hale.get("/desk").text
        assert hale.get("/api/studies").json() == []
        assert hale.get("/room").status_code == hale.get("/people").status_code == 403
        for end in ("%0A", "%0D", "%00", "%E2%80%A8"):  # a route's pattern may end before a line break, a rule's not
            change = {"page": "board", "pointer": "/title", "value": "Mine", "was": "Orr's tray"}
            assert hale.post(f"/studies/{slug}/edit{end}", data=change).status_code in (400, 404)
            assert hale.get(f"/studies/{slug}/document.json{end}").status_code in (400, 404)
        number = app.state.studio.store.ended_runs(1)[0].id
        assert hale.post(f"/desk/{number}/again").status_code == 404
        may(app, slug, "C. Hale", "view")
        assert hale.get(f"/studies/{slug}").status_code == 200
        assert hale.get(f"/views/run/{run}/speed.f32").status_code == 200
        change = {"page": "board", "pointer": "/title", "value": "Hale's", "was": "Orr's tray"}
        for route, sent in ((f"/studies/{slug}/edit", change), (f"/studies/{slug}/remove", {}), (f"/studies/{slug}/bring-up-to-date", {"page": "board"}), (f"/desk/{number}/again", {})):  # fmt: skip
            assert hale.post(route, data=sent).status_code == 403, route
        assert hale.post(f"/studies/{slug}/archive").status_code == 200  # taking it along changes nothing
        assert hale.get(f"/studies/{slug}/people").status_code == 403
        may(app, slug, "C. Hale", "edit")
        assert hale.post(f"/studies/{slug}/edit", data=change).status_code == 200
        assert hale.request("DELETE", f"/api/studies/{slug}").status_code == 403
        newest = app.state.studio.store.revisions(app.state.studio.store.study_row(slug).id)[0]
        assert newest.who == "C. Hale"
        lied = hale.post(f"/api/studies/{slug}/edit", json={"values": {"/title": "Orr's tray"}, "was": {}, "who": "B. Orr"})  # fmt: skip
        assert lied.status_code == 200
        newest = app.state.studio.store.revisions(app.state.studio.store.study_row(slug).id)[0]
        assert newest.who == "C. Hale"  # whatever the request says
        may(app, slug, "C. Hale", None)
        may(app, slug, "everybody", "view")
        assert hale.get(f"/studies/{slug}").status_code == 200
        may(app, slug, "everybody", None)
        assert hale.get(f"/studies/{slug}").status_code == 404
    told = [(d.who, d.what.split(" (")[0], d.study) for d in app.state.studio.people.done(30)]
    assert ("C. Hale", "changed values", slug) in told
    assert ("C. Hale", "signed in", "") in told


@pytest.mark.server
def test_tokens_work_for_programs_and_end_with_their_person(served):
    app, address, slug = served
    with signed_in(address, "B. Orr", ORR) as orr:
        page = orr.post("/me/tokens", data={"title": "sweep", "role": "view"}).text
        secret = re.search(r'<code id="secret">([^<]+)', page)[1]
        assert secret not in orr.get("/me").text  # shown once
    program = httpx.Client(base_url=address, headers={"authorization": f"Bearer {secret}"})
    assert [s["slug"] for s in program.get("/api/studies").json()] == [slug]
    assert program.post(f"/api/studies/{slug}/run", json={}).status_code == 403
    assert program.post("/studies", data={"title": "x"}).status_code == 403
    assert program.get("/me").status_code == 404
    number = app.state.studio.people.tokens(2)[0].id
    app.state.studio.people.drop_token(2, number)
    assert program.get("/api/studies").status_code == 401


@pytest.mark.server
def test_guessing_is_slowed_down(served):
    _, address, _ = served
    with client(address) as http:
        answers = [http.post("/login", data={"name": "D. Nobody", "password": f"guess {k}"}) for k in range(7)]
        assert [a.status_code for a in answers[:5]] == [401] * 5
        assert answers[-1].status_code == 429
        assert int(answers[-1].headers["retry-after"]) >= 1


@pytest.mark.server
def test_two_roles_at_once_in_browsers(served, browser, tmp_path_factory):
    from tests.browser import open_browser

    app, address, slug = served
    may(app, slug, "C. Hale", "view")
    other = open_browser(tmp_path_factory.mktemp("downloads"))
    try:
        for driver, name, password in ((browser, "B. Orr", ORR), (other, "C. Hale", HALE)):
            driver.get(f"{address}/studies/{slug}")
            wait(driver, lambda driver=driver: all_of(driver, ".sign-in"))
            driver.execute_script("localStorage.setItem('brook visit', 'done')")
            driver.find_element("css selector", "#name").send_keys(name)
            driver.find_element("css selector", "#password").send_keys(password)
            press(driver, ".sign-in button")
            wait(
                driver,
                lambda driver=driver, name=name: (
                    name in (attribute(driver, "#me summary", "title") if all_of(driver, "#me summary") else "")
                ),
            )
        wait(browser, lambda: attribute(browser, "#present", "aria-label") == "also here: C. Hale")
        wait(other, lambda: attribute(other, "#present", "aria-label") == "also here: B. Orr")
        assert "look only" in text_of(other, "#me")
        assert all_of(browser, f"#me a[href='/studies/{slug}/people']")
        wait(other, lambda: not all_of(other, "#stage button[hx-post*='bring-up-to-date']:enabled"))
        browser.get(f"{address}/studies/{slug}/people")
        wait(browser, lambda: all_of(browser, "#who"))
        browser.execute_script("document.querySelector('select[aria-label*=Hale]').value = 'edit'")
        press(browser, "button[aria-label*=Hale]")
        wait(browser, lambda: "changed who may do what" in text_of(browser, "#done"))
        wait(other, lambda: not all_of(other, "#present .chip"))
        other.refresh()
        wait(other, lambda: all_of(other, "#me summary") and "look only" not in text_of(other, "#me"))
        press(other, "#me summary")
        press(other, "#me button")
        wait(other, lambda: all_of(other, ".sign-in"))
    finally:
        other.quit()
        browser.delete_all_cookies()
