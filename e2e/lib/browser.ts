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

/** A person at the page: finds things by role and name, and waits for conditions, never for time. */
export class Browser {
  constructor(readonly driver: chrome.Driver) {}
  private readonly timeoutMs = Number(process.env.E2E_TIMEOUT ?? 75_000);

  /** How large the page is, in CSS pixels. */
  size = (width: number, height: number) =>
    this.driver.sendDevToolsCommand('Emulation.setDeviceMetricsOverride', { width, height, deviceScaleFactor: 1, mobile: false });

  /** Opens a page and waits until the application has drawn something: before that it hears no keys. */
  async open(url: string): Promise<void> {
    await this.driver.get(url);
    await this.driver.wait(until.elementLocated(By.css('#root *')), this.timeoutMs, `${url} stays empty`);
  }
  find = async (xpath: string, ms = this.timeoutMs): Promise<WebElement> =>
    this.driver.wait(until.elementLocated(By.xpath(xpath)), ms, `nothing on the page fits ${xpath}`);
  async see(text: string, ms = this.timeoutMs): Promise<WebElement> {
    return this.find(
      `//*[contains(normalize-space(.), ${quoted(text)})][not(.//*[contains(normalize-space(.), ${quoted(text)})])]`,
      ms,
    );
  }
  async gone(text: string, ms = this.timeoutMs): Promise<void> {
    await this.driver.wait(
      async () =>
        (await this.driver.findElements(By.xpath(`//*[text()[contains(normalize-space(.), ${quoted(text)})]]`))).length === 0,
      ms,
      `${text} is still there`,
    );
  }
  async act(xpath: string, ms = this.timeoutMs): Promise<void> {
    const end = Date.now() + ms;
    for (;;) {
      try {
        const e = await this.find(xpath, ms);
        await this.driver.wait(until.elementIsEnabled(e), ms, `${xpath} cannot be used`);
        await this.driver.executeScript('arguments[0].scrollIntoView({block: "nearest"})', e);
        await e.click();
        return;
      } catch (cause) {
        // The page was renewed between finding and clicking, or something passed over it: the condition is asked again.
        if (!/stale|intercepted|not interactable/i.test((cause as Error).message) || Date.now() > end) throw cause;
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
