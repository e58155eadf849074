"""A form opened, until its rows are painted, beside a page that somebody wrote by hand for the same cells."""

from __future__ import annotations

from statistics import median

from playwright.sync_api import BrowserContext, Page

TIMES = 20
# What the page has once rows are in it and the frame that shows them was painted, in milliseconds from asking for it.
PAINTED = """(() => {
    const look = () => requestAnimationFrame(() => {
        if (!document.querySelector("[role=gridcell], td")) return look();
        const after = new MessageChannel();
        after.port1.onmessage = () => { window.painted = performance.now(); };
        after.port2.postMessage(0);
    });
    look();
})();"""


def painted(page: Page, address: str) -> float:
    """Milliseconds until the rows of a page are painted."""
    page.goto("about:blank")  # what a page before has to put away is not counted
    page.goto(address)
    page.wait_for_function("window.painted")
    page.wait_for_timeout(200)
    return float(page.evaluate("window.painted"))


def opened(context: BrowserContext, form: str, by_hand: str) -> tuple[float, float]:
    """Medians of the form and of the page by hand, opened by turns."""
    page = context.new_page()
    page.add_init_script(PAINTED)
    pairs = [(painted(page, form), painted(page, by_hand)) for _ in range(TIMES)]
    page.close()  # behind it others are drawn once a second
    return median(ours for ours, _ in pairs[2:]), median(theirs for _, theirs in pairs[2:])
