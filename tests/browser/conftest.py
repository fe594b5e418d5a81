"""A real browser on a real server with a real worker beside it."""

import os
import subprocess
import sys
import time
from collections.abc import Callable

import pytest
from django.contrib.auth import get_user_model
from django.core.signals import request_finished, request_started
from django.db import connection
from django.test import Client
from selenium import webdriver
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.actions.wheel_input import ScrollOrigin
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from roto.__main__ import warm

FLAGS = (
    *("headless=new", "no-sandbox", "disable-gpu", "disable-dev-shm-usage", "no-first-run", "disable-background-networking"),
    *("disable-component-update", "disable-sync", "disable-quic", "window-size=1280,800", "force-device-scale-factor=1"),
)


def launched() -> webdriver.Chrome:
    """A browser of its own, with its own cookies."""
    options = webdriver.ChromeOptions()
    for flag in FLAGS:
        options.add_argument(f"--{flag}")
    options.binary_location = "/usr/bin/chromium"
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    it = webdriver.Chrome(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))
    it.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False})
    return it


@pytest.fixture(scope="session")
def chromium(django_db_setup, django_db_blocker):
    warm()  # what is compiled at first use is compiled before anybody waits for a page
    it = launched()
    yield it
    it.quit()
    with django_db_blocker.unblock(), connection.cursor() as cursor:  # a page that went away in the middle of an answer leaves its session
        cursor.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
        )
    connection.close()


@pytest.fixture
def worker(transactional_db, settings):
    """A worker process on the tests' database and files."""
    env = {**os.environ, "JAY_DB": settings.DATABASES["default"]["NAME"], "JAY_FILES": str(settings.MEDIA_ROOT)}
    command = [sys.executable, "manage.py", "worker", "--polling", "0.2"]
    process = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    yield process
    process.terminate()
    process.wait(20)


class Artist:
    """Somebody at the page: looks for things by what is written on them, moves the mouse in plate pixels."""

    def __init__(self, browser, address: str) -> None:
        self.browser, self.address = browser, address
        browser.delete_all_cookies()

    def until(self, what: Callable[[], object], seconds: float = 60.0):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            try:
                found = what()
            except Exception:
                found = None
            if found:
                return found
            time.sleep(0.05)
        raise AssertionError(f"waited {seconds} s in vain; the page says: {self.text[-800:]}; {self.complaints()}")

    @property
    def text(self) -> str:
        return self.browser.find_element(By.TAG_NAME, "body").text

    def go(self, path: str) -> None:
        self.browser.get(self.address + path)

    def css(self, selector: str):
        return self.browser.find_element(By.CSS_SELECTOR, selector)

    def label(self, text: str):
        return self.css(f'[aria-label="{text}"]')

    def seen(self, text: str):
        """What bears that label, once it can be seen: a panel that a key has just asked for takes a moment to come up."""
        return self.until(
            lambda: next(e for e in self.browser.find_elements(By.CSS_SELECTOR, f'[aria-label="{text}"]') if e.is_displayed())
        )

    def click(self, text: str) -> None:
        path = f"//*[self::a or self::button or self::summary][normalize-space()='{text}']"
        self.until(lambda: next(e for e in self.browser.find_elements(By.XPATH, path) if e.is_displayed())).click()

    def sign_in(self, who: str) -> None:
        """Signed in, without the form: most tests are about something else."""
        session = Client()
        session.force_login(get_user_model().objects.get(username=who))
        cookie = {"name": "sessionid", "value": session.cookies["sessionid"].value, "url": self.address, "httpOnly": True}
        self.browser.execute_cdp_cmd("Network.setCookie", cookie)

    def sign_in_by_hand(self, who: str) -> None:
        self.go("/sign-in")
        self.css("#id_username").send_keys(who)
        self.css("#id_password").send_keys("saltmarsh" + Keys.ENTER)
        self.until(lambda: "Your productions" in self.text)

    def sign_in_again(self, who: str) -> None:
        leave(self.browser)
        self.sign_in(who)

    def open_desk(self, shot_id: int) -> None:
        self.go(f"/shots/{shot_id}/desk")
        self.until(lambda: self.css("body").get_attribute("data-open"))
        self.view()

    def press(self, *keys: str) -> None:
        """Keys pressed together, the last one tapped; wherever the focus is."""
        chain = ActionChains(self.browser)
        for key in keys[:-1]:
            chain.key_down(key)
        chain.send_keys(keys[-1])
        for key in keys[:-1]:
            chain.key_up(key)
        chain.perform()

    def view(self) -> tuple[float, float, float]:
        return tuple(map(float, self.until(lambda: self.css("#stage").get_attribute("data-view")).split()))

    def on_screen(self, x: float, y: float) -> tuple[int, int]:
        scale, dx, dy = self.view()
        box = self.css("#stage").rect
        return round(box["x"] + x * scale + dx), round(box["y"] + y * scale + dy)

    def on_plate(self, x: float, y: float) -> tuple[float, float]:
        """Where a plate place ends up when the mouse can stand on whole screen pixels only."""
        scale, dx, dy = self.view()
        box = self.css("#stage").rect
        sx, sy = self.on_screen(x, y)
        return (sx - box["x"] - dx) / scale, (sy - box["y"] - dy) / scale

    def chain(self) -> ActionChains:
        return ActionChains(self.browser, duration=30)

    def at(self, chain: ActionChains, x: float, y: float) -> ActionChains:
        chain.w3c_actions.pointer_action.move_to_location(*self.on_screen(x, y))
        return chain

    def tap(self, x: float, y: float) -> tuple[float, float]:
        self.at(self.chain(), x, y).click().perform()
        return self.on_plate(x, y)

    def drag(self, start: tuple[float, float], *stops: tuple[float, float], hold: str | None = None) -> tuple[float, float]:
        """Press at start, move over the stops, let go; returns how far the mouse really went, in plate px."""
        chain = self.at(self.chain(), *start)
        if hold:
            chain.key_down(hold)
        chain.click_and_hold()
        for stop in stops:
            self.at(chain, *stop)
        chain.release()
        if hold:
            chain.key_up(hold)
        chain.perform()
        (ax, ay), (bx, by) = self.on_plate(*start), self.on_plate(*stops[-1])
        return bx - ax, by - ay

    def wheel(self, x: float, y: float, by: int) -> None:
        sx, sy = self.on_screen(x, y)
        was = self.view()
        ActionChains(self.browser).scroll_from_origin(ScrollOrigin.from_viewport(sx, sy), 0, by).perform()
        self.until(lambda: self.view() != was)

    def frame_is(self, frame: int) -> None:
        self.until(lambda: int(self.css("#frame").get_attribute("value")) == frame)

    def figure(self, label: str, value: object) -> None:
        field = self.seen(label)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(str(value), Keys.ENTER)

    def choose(self, label: str, text: str) -> None:
        Select(self.seen(label)).select_by_visible_text(text)

    def open_stack(self) -> None:
        """All of the stack, with what goes with it, where it is folded."""
        if self.css(".unfold").get_attribute("aria-expanded") == "false":
            self.css(".unfold").click()

    def saved(self) -> None:
        self.until(lambda: self.css("#saved").text == "all saved")

    def pixels(self, layer: str, x: float, y: float) -> list[int]:
        """The colour on one of the canvases at a place of the plate."""
        sx, sy = self.on_screen(x + 0.5, y + 0.5)
        box = self.css("#stage").rect
        code = """
            const pen = document.querySelector(arguments[0]).getContext("2d");
            return [...pen.getImageData(arguments[1], arguments[2], 1, 1).data];
        """
        return self.browser.execute_script(code, f"#stage .{layer}", int(sx - box["x"]), int(sy - box["y"]))

    def shows(self, layer: str, colour: list[int], x: float, y: float, way: tuple[float, float] = (1, 0), px: float = 4) -> bool:
        """Whether a thin line of a colour crosses the stretch of so many screen pixels on either side of a place, along a way."""
        step = 0.5 / self.view()[0]
        for k in range(-int(2 * px), int(2 * px) + 1):
            *found, alpha = self.pixels(layer, x - 0.5 + k * step * way[0], y - 0.5 + k * step * way[1])
            if alpha > 60 and max(abs(a - b) for a, b in zip(found, colour, strict=True)) < 32:
                return True
        return False

    def offline(self, on: bool) -> None:
        """Cut this browser's connection, or give it back."""
        self.browser.execute_cdp_cmd("Network.enable", {})
        how = {"offline": on, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
        self.browser.execute_cdp_cmd("Network.emulateNetworkConditions", how)

    def complaints(self) -> list[str]:
        return [e["message"] for e in self.browser.get_log("browser") if e["level"] == "SEVERE" and "favicon" not in e["message"]]


@pytest.fixture
def quiet():
    """After a test its page may still be asking: wait until the server has answered, or it would meet the next test's database."""
    going = []
    begin, end = (lambda **_: going.append(1)), (lambda **_: going and going.pop())
    request_started.connect(begin, weak=False)
    request_finished.connect(end, weak=False)
    yield
    until = time.monotonic() + 40  # on a busy machine an answer may take long
    while going and time.monotonic() < until:
        time.sleep(0.05)
    request_started.disconnect(begin)
    request_finished.disconnect(end)


def leave(browser: webdriver.Chrome) -> None:
    """Go away from the page, which would go on asking; once more where it was just going elsewhere by itself."""
    try:
        browser.get("about:blank")
    except WebDriverException:
        browser.get("about:blank")


@pytest.fixture
def artist(chromium, live_server, quiet):
    chromium.get_log("browser")
    yield Artist(chromium, live_server.url)
    leave(chromium)


@pytest.fixture
def another(live_server, quiet):
    """Somebody else, at a browser of their own."""
    it = launched()
    yield Artist(it, live_server.url)
    it.quit()
