import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { By, until, type WebElement } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';

/** Debian's Chromium at 1280×800, with no way to anything but loopback. */
export async function openBrowser(): Promise<Browser> {
  const options = new chrome.Options()
    .setBinaryPath('/usr/bin/chromium')
    .addArguments(
      '--headless=new',
      '--disable-gpu',
      '--disable-software-rasterizer',
      '--no-sandbox',
      '--disable-dev-shm-usage',
      '--hide-scrollbars',
      '--force-device-scale-factor=1',
      '--window-size=1280,800',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--disable-extensions',
      '--disable-default-apps',
      '--incognito',
      '--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1',
    );
  const service = new chrome.ServiceBuilder('/usr/bin/chromedriver').build();
  const driver = chrome.Driver.createSession(options, service);
  const b = new Browser(driver);
  await b.size(1280, 800);
  return b;
}

const quoted = (text: string) => (text.includes("'") ? `"${text}"` : `'${text}'`);
const named = (role: string, name: string) => {
  const tag = { button: "(self::button or @role='button')", link: 'self::a', tab: "@role='tab'" }[role] ?? 'true()';
  return `//*[${tag}][normalize-space(.)=${quoted(name)} or @aria-label=${quoted(name)}]`;
};

/** Questions to the page, as source: what fits a path; the innermost element with a text; whether a text is nowhere. */
const byPath = `(path) => document.evaluate(path, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue`;
const byText = `(text) => {
  const has = (e) => e.textContent.replace(/\\s+/g, ' ').includes(text);
  let e = document.documentElement;
  if (!has(e)) return null;
  for (let inner; (inner = [...e.children].find(has)); ) e = inner;
  return e;
}`;
const withoutText = `(text) => {
  const texts = document.createTreeWalker(document, NodeFilter.SHOW_TEXT);
  while (texts.nextNode()) if (texts.currentNode.data.replace(/\\s+/g, ' ').includes(text)) return false;
  return true;
}`;
const waiting = `
  const [source, subject, ms, done] = arguments;
  const ask = (0, eval)(source);
  const end = performance.now() + ms;
  const again = () => {
    const began = performance.now();
    const found = ask(subject);
    if (found || began > end) return done(found || null);
    setTimeout(again, Math.max(20, 4 * (performance.now() - began)));
  };
  again();
`;

/** In the page: an element remembers whether a pointer came down on it. Options are not asked: the browser draws their list itself. */
const listening = `
  const e = arguments[0];
  e.pressed = e.tagName === 'OPTION';
  for (const kind of ['pointerdown', 'click']) e.addEventListener(kind, () => { e.pressed = true; }, { capture: true });
`;
const heard = 'return arguments[0].pressed || !arguments[0].isConnected';

/** A person at the page: finds things by role and name, and waits for conditions, never for time. */
export class Browser {
  constructor(readonly driver: chrome.Driver) {}
  readonly timeoutMs = Number(process.env.E2E_TIMEOUT ?? 150_000);

  /** How large the page is, in CSS pixels. */
  size = (width: number, height: number) =>
    this.driver.sendDevToolsCommand('Emulation.setDeviceMetricsOverride', { width, height, deviceScaleFactor: 1, mobile: false });

  /** Opens a page and waits until the application has drawn something: before that it hears no keys. */
  async open(url: string): Promise<void> {
    await this.driver.get(url);
    await this.driver.wait(until.elementLocated(By.css('#root *')), this.timeoutMs, `${url} stays empty`);
  }
  find = async (xpath: string, ms = this.timeoutMs): Promise<WebElement> =>
    this.waitIn(byPath, xpath, ms, () => `nothing on the page fits ${xpath}`);
  /** The innermost element that has the text. */
  see = async (text: string, ms = this.timeoutMs): Promise<WebElement> =>
    this.waitIn(byText, text, ms, () => `“${text}” is not on the page`);
  async gone(text: string, ms = this.timeoutMs): Promise<void> {
    await this.waitIn(withoutText, text, ms, () => `“${text}” is still there`);
  }
  /** Waits in the page for what a question finds there: asking from outside takes a round trip a time, and a fifth of a second between. */
  private async waitIn<T>(question: string, subject: string, ms: number, what: () => string): Promise<T> {
    const end = Date.now() + ms;
    for (;;) {
      const left = Math.min(5000, Math.max(0, end - Date.now()));
      const found = await this.driver.executeAsyncScript<T | null>(waiting, question, subject, left).catch((e: Error) => {
        // The page went elsewhere while it was asked: what comes next is asked again.
        if (!/stale|unload|context|detached|navigat|frame|script timeout|no such execution/i.test(e.message)) throw e;
        return null;
      });
      if (found) return found;
      if (Date.now() >= end) throw new Error(`${what()}\n${await this.shown()}`);
    }
  }
  /** Where the browser is and what it shows there, for whoever reads why a test failed. */
  private shown = (): Promise<string> =>
    this.driver
      .executeScript<string>('return [location.href, document.body.innerText.slice(0, 3000)].join("\\n")')
      .catch((e: Error) => `(the page cannot be read: ${e.message})`);
  async act(xpath: string, ms = this.timeoutMs): Promise<void> {
    const end = Date.now() + ms;
    for (;;) {
      try {
        const e = await this.find(xpath, ms);
        await this.driver.wait(until.elementIsEnabled(e), ms, `${xpath} cannot be used`);
        await this.driver.executeScript('arguments[0].scrollIntoView({block: "nearest"})', e);
        await this.driver.executeScript(listening, e);
        await e.click();
        // The page moved under the pointer, and the click went elsewhere: a person would see that, and click again.
        if (await this.heard(e)) return;
        if (Date.now() > end) throw new Error(`${xpath} moves away from every click\n${await this.shown()}`);
      } catch (cause) {
        // The page was renewed between finding and clicking, or something passed over it: the condition is asked again.
        if (!/stale|intercepted|not interactable/i.test((cause as Error).message) || Date.now() > end) throw cause;
      }
    }
  }
  /** Whether a click came to the element that it was meant for; what is not there any more has done what it was clicked for. */
  private heard = (e: WebElement): Promise<boolean> =>
    this.driver.executeScript<boolean>(heard, e).catch((cause: Error) => {
      if (/stale|unload|context|detached|navigat|frame|no such execution/i.test(cause.message)) return true;
      throw cause;
    });
  /** What an element shows, and what one of its attributes says: read anew where the page was renewed meanwhile. */
  textOf = (xpath: string): Promise<string> => this.of(xpath, (e) => e.getText());
  attribute = (xpath: string, name: string): Promise<string | null> => this.of(xpath, (e) => e.getAttribute(name));
  private async of<T>(xpath: string, ask: (e: WebElement) => Promise<T>): Promise<T> {
    const end = Date.now() + this.timeoutMs;
    for (;;) {
      try {
        return await ask(await this.find(xpath));
      } catch (cause) {
        if (!/stale/i.test((cause as Error).message) || Date.now() > end) throw cause;
      }
    }
  }
  click = (role: 'button' | 'link' | 'tab' | 'label', name: string, within = '') => this.act(`${within}${named(role, name)}`);
  clickText = (text: string, within = '') =>
    this.act(`${within}//*[self::a or self::button][contains(normalize-space(.), ${quoted(text)})]`);
  async type(label: string, text: string): Promise<void> {
    const e = await this.find(
      `//input[@aria-label=${quoted(label)}] | //input[@id=//label[normalize-space(.)=${quoted(label)}]/@for]`,
    );
    await this.driver.executeScript('arguments[0].select()', e);
    await e.sendKeys(text);
  }
  async choose(label: string, value: string): Promise<void> {
    await this.act(
      `//select[@aria-label=${quoted(label)} or @id=//label[normalize-space(.)=${quoted(label)}]/@for]/option[@value=${quoted(value)} or normalize-space(.)=${quoted(value)}]`,
    );
  }
  async press(keys: string): Promise<void> {
    await this.driver.actions().sendKeys(keys).perform();
  }
  text = async (): Promise<string> => (await this.driver.findElement(By.css('body'))).getText();
  count = async (css: string) => (await this.driver.findElements(By.css(css))).length;
  async picture(file: string): Promise<void> {
    await this.driver.executeAsyncScript(
      'document.fonts.ready.then(() => requestAnimationFrame(() => requestAnimationFrame(arguments[0])))',
    );
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, Buffer.from(await this.driver.takeScreenshot(), 'base64'));
  }
  close = () => this.driver.quit();
}
