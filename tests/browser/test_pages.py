"""Every page: nothing serious for people with other eyes and hands, nothing wider than a phone, no dead control."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import TimeoutError as PlaywrightTimeout

from oikotherm.core.design import derive
from tests.browser.pages import BrowserCase
from tests.jobs import whole

JOB = (
    "survey",
    "pace",
    "sizes",
    "joints",
    "make",
    "order",
    "prove",
    "house?at=G2",
    "assembly?service=gas&step=20",
    "make/sticks",
    "make/cards",
    "make/materials",
    "backflow",
    "handover",
    "history",
    "find?q=R3",
    "sizes/balance",
    "survey/flow/R2?fed=right",
    "handover/sheet",
)
PAGES = (
    "/",
    "/bench",
    "/bench/convert?value=21+mbar&to=inH2O",
    "/bench/cut_length",
    "/bench/offset?height=100&angle_deg=30&radius=60",
    "/bench/transition",
    "/bench/recipe?method=press&pipe=cu-m+22",
    "/van",
    "/keys",
    "/licences",
    "/people",
    "/practice?topic=metal-joining&option=press",
    "/property",
    "/nothing",
    "/small/valve",
    "/jobs/olmo-vecchio/sizes",
) + tuple(f"/jobs/lockhouse/{page}" for page in JOB)
ALIKE = ("/bench/cut_length", "/bench/offset?height=100&angle_deg=30&radius=60", "/jobs/olmo-vecchio/sizes")
"""Made by the template of another page: by day looked at as all are; by night, and by pressing, the other stands for
them."""

FRAMES = ("/", "/bench", "/jobs/lockhouse/pace")  # where the parts all pages share are pressed
CONTROLS = "a[href]:not(.skip), button, summary, select, input[type=file]"


class AccessTest(BrowserCase):
    def test_axe_finds_nothing_serious_by_day_and_by_night(self):
        """All rules by day; by night the page is the same but for its colours, and so are the rules."""
        axe, page = Axe(), self.open(color_scheme="light")
        rules = {"light": {}, "dark": {"runOnly": {"type": "rule", "values": ["color-contrast", "link-in-text-block"]}}}
        for path in PAGES:
            self.go(path, page)
            for scheme, only in rules.items():
                if scheme == "dark" and path in ALIKE:
                    continue
                with self.subTest(path=path, scheme=scheme):
                    page.emulate_media(color_scheme=scheme)
                    seen = axe.run(page, options={"resultTypes": ["violations"], **only}).response
                    found = [
                        f"{one['id']}: {[node['html'][:90] for node in one['nodes'][:3]]}"
                        for one in seen["violations"]
                        if one["impact"] in ("serious", "critical")
                    ]
                    self.assertEqual(found, [])
            page.emulate_media(color_scheme="light")

    def test_a_phone_scrolls_one_way_only(self):
        page = self.open(390, 844, has_touch=True)
        for path in PAGES:
            with self.subTest(path=path):
                self.go(path, page)
                self.assertLessEqual(page.evaluate("() => document.documentElement.scrollWidth"), 390)
        self.go("/jobs/lockhouse/make", page)
        small = page.eval_on_selector_all(
            ".stages a, #cuts summary, .cuts-top a",
            "all => all.map(e => e.getBoundingClientRect().height).filter(h => h < 43.5)",
        )
        self.assertEqual(small, [])

    def test_the_first_tab_leads_past_the_strip(self):
        self.go("/jobs/lockhouse/make")
        self.page.keyboard.press("Tab")
        self.page.keyboard.press("Enter")
        self.assertEqual(self.page.evaluate("() => document.activeElement.id"), "work")

    def test_reading_and_printing_work_without_script(self):
        page = self.open(java_script_enabled=False)
        self.go("/jobs/lockhouse/pace", page)
        self.assertEqual(page.locator(".run").count(), len(whole().runs))
        self.assertGreater(page.locator(".drawing .pipe").count(), 25)
        self.go("/jobs/lockhouse/handover/sheet", page)
        self.assertEqual(page.locator("tr[data-label]").count(), len(derive(whole()).cuts))


class CrawlTest(BrowserCase):
    """Presses every visible control of every page; each must change the page or the address, or give a file."""

    STATE = """() => {
      // a field the browser refuses to send gets the focus and a word from the browser;
      // a page loaded anew has lost the mark
      const refused = document.activeElement?.matches(':invalid') ? document.activeElement.name : '';
      const typed = [...document.querySelectorAll('input, textarea')].map(e => e.value).join();
      const stored = JSON.stringify(localStorage) + typed + scrollY + document.querySelector('main')?.scrollTop;
      const seen = document.body.outerHTML + (window.printed ?? 0);
      const text = location.href + refused + (window.marked ?? 'anew') + seen + stored;
      let sum = 0;
      for (let at = 0; at < text.length; at++) sum = (sum * 31 + text.charCodeAt(at)) | 0;
      return `${text.length} ${sum}`;
    }"""

    NOTE = """e => {
      window.marked = 'pressed';
      window.revision = document.querySelector('main')?.dataset.rev;
      window.controls ??= document.querySelectorAll(CONTROLS).length;
      return [e.outerHTML.slice(0, 160), e.tagName, (STATE)()];
    }""".replace("CONTROLS", repr(CONTROLS)).replace("STATE", STATE)
    STANDS = """address => window.marked === 'pressed' && location.href === address
      && document.querySelector('main')?.dataset.rev === window.revision
      && document.querySelectorAll(CONTROLS).length === window.controls""".replace("CONTROLS", repr(CONTROLS))

    # what a control is called, and how many of that name come before it: parts that come later move the numbers
    NAMES = """all => { const many = {}; return all.map(e => {
      const said = [e.tagName, e.name, e.getAttribute('href')?.split('?')[0], e.dataset.act, e.dataset.field,
        e.getAttribute('aria-label') ?? e.textContent.trim().slice(0, 60)];
      const name = said.join(' ').replace(/[0-9]+/g, '#').replace(/\\s+/g, ' ');
      many[name] = (many[name] ?? 0) + 1;
      return `${name} (${many[name]})`; }); }"""
    NAMED = """name => { const all = [...document.querySelectorAll(CONTROLS)];
      return all[(NAMES)(all).indexOf(name)]; }""".replace("CONTROLS", repr(CONTROLS)).replace("NAMES", NAMES)

    def press(self, page, path, name):
        """Press a control of a page by its name; what is wrong, or None. A page that still stands is pressed on.

        What does nothing there, and what is out of sight there, is tried again on the page loaded anew.
        """
        if self.stands(page, self.server.url + path) and self.press_on(page, path, name, anew=False) == "":
            return None
        return self.press_on(page, path, name, anew=True) or None

    def stands(self, page, address):
        """Whether what was pressed last left the page where it was and as it was stored, and all is quiet."""
        try:
            if not page.evaluate(self.STANDS, address):
                return False
            before = page.evaluate(self.STATE)
            page.wait_for_timeout(120)
            return page.evaluate(self.STANDS, address) and page.evaluate(self.STATE) == before
        except PlaywrightError:
            return False

    GONE = " does not come again"

    def comes(self, page, named):
        """Whether a control is there, or comes within a while, as what follows the page does."""
        try:
            page.wait_for_function(self.NAMED, arg=named, timeout=60_000)
        except PlaywrightTimeout:
            return False
        return True

    def press_on(self, page, path, named, anew):
        """What is wrong, an empty text where the control did something, None where it is not there to be pressed."""
        for patience in range(5):
            try:
                if anew:
                    self.as_new()
                    page.goto(self.server.url + path, wait_until="domcontentloaded")
                if anew and not self.comes(page, named):
                    return f"{path}: {named}{self.GONE}"
                control = page.evaluate_handle(self.NAMED, named).as_element()
                if not control or not control.is_visible() or control.is_disabled():
                    return None
                name, tag, before = control.evaluate(self.NOTE)
                break
            except PlaywrightError:  # the control pressed before is still on its way somewhere
                if patience == 4:
                    raise
                page.wait_for_timeout(100 * (patience + 1))
        given = []
        page.once("download", lambda file: given.append(file))
        page.once("filechooser", lambda chooser: given.append(chooser))
        if tag == "SELECT":
            control.select_option(control.evaluate("e => [...e.options].find(o => o.value !== e.value).value"))
        else:
            try:
                control.click(timeout=60_000 if anew else 500)
            except PlaywrightError:
                if anew:
                    raise
                return None  # something opened before lies over it
        for _ in range(160 if anew else 10):
            page.wait_for_timeout(50)
            try:
                if given or page.evaluate(self.STATE) != before:
                    return ""
            except PlaywrightError:
                return ""  # the page is on its way to another address
        if anew:  # dead only once the page is idle
            try:
                page.wait_for_load_state("networkidle")
                if given or page.evaluate(self.STATE) != before:
                    return ""
            except PlaywrightError:
                return ""
        return f"{path}: {name}"

    LINKS = """all => all.map(e => {
      const plain = e.tagName === 'A' && !Object.keys(e.dataset).length && !e.closest('[data-commands], dialog');
      const away = plain && e.href.split('#')[0] !== location.href.split('#')[0];
      return away && new URL(e.href).origin === location.origin ? e.href : ''; })"""

    def followed(self, context, path, address):
        """What is wrong with a plain link to another page, which no script of this one can hold up: it must lead
        somewhere."""
        answer = context.request.get(address, timeout=30_000)
        return None if answer.ok else f"{path}: {address} answers {answer.status}"

    def test_no_control_is_dead(self):
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        self.addCleanup(context.close)
        page = context.new_page()
        page.add_init_script("window.print = () => { window.printed = (window.printed ?? 0) + 1; }")
        dead, pressed, gone = [], 0, []
        for path in PAGES:
            if path in ALIKE:
                continue
            self.as_new()
            self.go(path, page)
            # what is not there to be pressed, and what is only sent with its form, needs no page of its own
            # rows repeat: the first of each list stands for the others; so does the frame, from page to page
            alike = page.eval_on_selector_all(
                CONTROLS,
                """(all, known) => all.map(e => {
                   const now = e.getAttribute('aria-current') || e.getAttribute('aria-pressed') === 'true';
                   const fixed = e.matches('select') && (e.form || e.options.length < 2);
                   if (!e.checkVisibility() || e.disabled || now || fixed) return true;
                   if (known && e.closest('.strip, .stages, .watch-side, .foot, .bench nav')) return true;
                   const kin = ['.sort', '.time-strip a'].find(one => e.matches(one));
                   if (kin) return document.querySelector(kin) !== e;
                   if (e.matches('.chip')) return document.querySelector('.' + [...e.classList].join('.')) !== e;
                   const once = e.closest('.pick-one, .chain, .topic, .bench nav li, .sim-table tr, .house-grid label');
                   const peers = once ? [...once.parentElement.children].filter(c => c.tagName === once.tagName) : [];
                   const another = e.parentElement.querySelector('button') !== e && e.matches('.sizes button');
                   if (once) return peers.indexOf(once) > 0 || another;
                   const rows = '.joint-list li, .steps-list > li, .run, #cuts tr, .size-table tr, details.station';
                   const row = e.closest(rows + ', tbody tr, main li');
                   const alike = row ? [...row.parentElement.children].filter(c => c.tagName === row.tagName) : [];
                   return alike.indexOf(row) > 0; })""",
                path not in FRAMES,
            )
            links = page.eval_on_selector_all(CONTROLS, self.LINKS)
            names = page.eval_on_selector_all(CONTROLS, self.NAMES)
            for number in (number for number, again in enumerate(alike) if not again):
                one = (
                    self.followed(context, path, links[number])
                    if links[number]
                    else self.press(page, path, names[number])
                )
                pressed += 1
                if one and one.endswith(self.GONE):
                    gone.append(one)
                elif one:
                    dead.append(one)
        self.assertEqual(dead, [])
        self.assertLess(len(gone), 4, gone)
        self.assertGreater(pressed, 120)

    def test_forms_do_what_their_buttons_say(self):
        page = self.page
        self.as_new()
        self.go("/jobs/lockhouse/survey")
        page.locator("#R1 > summary").click()
        page.locator("#R1 [name=east]").first.fill("5500")
        page.get_by_role("button", name="Change R1").click()
        page.wait_for_url("**done=station-R1**")
        self.assertIn("E 5500", page.locator("#R1 > summary").inner_text())
        page.keyboard.press("w")
        self.assertFalse(page.locator("#watch").is_visible())
        page.keyboard.press("?")
        self.assertTrue(page.locator("#keys").is_visible())
