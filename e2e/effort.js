// What a job costs its person: taps, keys, pages that are loaded or forms that are sent, and swipes
// until what is tapped is in sight. A person sees what lies between the strip on top and the stations below.
const TOP = 48;
const STATIONS = 64;

export class Effort {
  constructor(page) {
    this.page = page;
    this.taps = this.keys = this.loads = this.swipes = 0;
    page.on("request", (r) => {
      const sent = r.method() === "POST" && !/preview/.test(r.url() + r.postData());
      if (!this.starting && (r.isNavigationRequest() || sent)) this.loads++;
    });
  }

  // Goes to where the job begins, which costs nothing.
  async start(url) {
    this.starting = true;
    await this.page.goto(url);
    this.starting = false;
    return this;
  }

  // Brings something into sight, by swipes of two thirds of a screen.
  async see(locator) {
    await locator.waitFor({ state: "attached" });
    const view = this.page.viewportSize().height;
    for (let n = 0; n < 20; n++) {
      const box = await locator.boundingBox();
      if (!box) break;
      const fixed = await locator.evaluate((el) => {
        for (let e = el; e; e = e.parentElement) if (["fixed", "sticky"].includes(getComputedStyle(e).position)) return true;
        return false;
      });
      const middle = box.y + box.height / 2;
      if (fixed || (middle > TOP && middle < view - STATIONS)) return;
      await this.page.mouse.move(10, view / 2); // beside what scrolls by itself
      await this.page.evaluate((by) => scrollBy({ top: by, behavior: "instant" }), (middle < TOP ? -1 : 1) * 0.66 * view);
      this.swipes++;
    }
  }

  async tap(locator) {
    await this.see(locator);
    this.taps++;
    if (await locator.evaluate((el) => el.matches("[type=radio], [type=checkbox]"))) await locator.check({ force: true });
    else await locator.click();
  }

  // A choice in a list is two taps.
  async choose(locator, label) {
    await this.see(locator);
    this.taps += 2;
    await locator.selectOption(typeof label === "string" ? { label } : label);
  }

  // Types into the field that has the focus, or into one that is tapped first.
  async type(text, locator) {
    if (locator) await this.tap(locator);
    this.keys += text.length;
    await this.page.keyboard.type(text);
  }
  async press(key) {
    this.keys++;
    await this.page.keyboard.press(key);
  }

  toString() {
    return `${this.taps} taps, ${this.keys} keys, ${this.loads} loads, ${this.swipes} swipes`;
  }
}
