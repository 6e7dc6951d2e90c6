"""Browser checks of a booking page, recorded with their steps and screenshots.

    pytest examples/booking_desk --verdict-record results
    plain-verdict report results --title "Booking desk"

Two of them fail on purpose, to show what a failure looks like.
"""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By

PAGE = Path(__file__).with_name("desk.html").as_uri()


@pytest.fixture(scope="session")
def chromium() -> Iterator[webdriver.Chrome]:
    options = Options()
    for argument in (
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--window-size=1280,940",
        "--disable-background-networking",
    ):
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    yield driver
    driver.quit()


class Desk:
    """The booking page, one method a step."""

    def __init__(self, driver, record):
        self.driver = driver
        self.record = record

    def shot(self, name):
        self.record.keep(self.driver.get_screenshot_as_png(), f"{name}.png", caption=name)

    def open(self, fault=""):
        with self.record.step("Open the timetable for Saturday"):
            self.driver.get("about:blank")
            self.driver.get(f"{PAGE}#fault={fault}")
            self.shot("Timetable")

    def choose(self, sailing):
        with self.record.step(f"Choose {sailing}"):
            self.driver.find_element(By.CSS_SELECTOR, f"[data-sailing={sailing}]").click()
            self.shot("Fare")

    def take_seats(self, *seats):
        with self.record.step(f"Take seats {' and '.join(seats)}"):
            self.driver.find_element(By.CSS_SELECTOR, "[data-go=seats]").click()
            for seat in seats:
                found = self.driver.find_elements(By.CSS_SELECTOR, f"[data-seat='{seat}']")
                self.shot("Seat map")
                self.record.compare(
                    expected=f"seat {seat} is free", actual=f"seat {seat} is {'free' if found else 'taken'}"
                )
                found[0].click()

    def pay(self):
        with self.record.step("Pay"):
            self.driver.find_element(By.CSS_SELECTOR, "[data-go=pay]").click()
            with self.record.step("Enter the card"):
                self.driver.find_element(By.NAME, "card").send_keys("4000 0000 0000 0002")
                self.shot("Payment")
            with self.record.step("Read the total on the receipt"):
                self.driver.find_element(By.CSS_SELECTOR, "[data-go=receipt]").click()
                self.shot("Receipt")
                return self.driver.find_element(By.CSS_SELECTOR, "[data-part=total]").text


@pytest.fixture
def desk(chromium, verdict_record):
    return Desk(chromium, verdict_record)


@pytest.mark.smoke
def test_day_return_for_two_adults_can_be_paid(desk):
    """Two adults book the 09:40 and see on the receipt what was quoted."""
    desk.open()
    desk.choose("BQ-2207")
    desk.take_seats("14C", "15C")
    total = desk.pay()
    desk.record.compare(
        expected="NOK 418.00", actual=total, message="The total on the receipt is not what was quoted."
    )


def test_the_receipt_shows_what_was_quoted(desk):
    desk.open(fault="total")
    desk.choose("BQ-2207")
    desk.take_seats("14C")
    total = desk.pay()
    desk.record.compare(
        expected="NOK 418.00", actual=total, message="The total on the receipt is not what was quoted."
    )


def test_a_released_seat_is_free_again(desk):
    desk.open(fault="seats")
    desk.choose("BQ-2211")
    desk.take_seats("14C")


@pytest.mark.parametrize(
    ("sailing", "fare"), [("BQ-2207", "NOK 418.00"), ("BQ-2213", "NOK 482.00"), ("BQ-2219", "NOK 482.00")]
)
def test_a_sailing_shows_its_fare_for_two(desk, sailing, fare):
    desk.open()
    desk.choose(sailing)
    desk.record.compare(expected=fare, actual=desk.driver.find_element(By.CSS_SELECTOR, "[data-part=fare]").text)
