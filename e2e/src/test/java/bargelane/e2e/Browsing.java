package bargelane.e2e;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.PlaywrightException;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/** Debian's Chromium as tests drive it, and what they look for on its pages. */
final class Browsing {

  private Browsing() {}

  static final List<String> FLAGS =
      List.of(
          "--no-sandbox",
          "--disable-gpu",
          "--disable-quic",
          "--no-first-run",
          "--disable-background-networking",
          "--disable-component-update",
          "--disable-sync");

  static Locator button(Page page, String name) {
    return page.getByRole(
        AriaRole.BUTTON, new Page.GetByRoleOptions().setName(name).setExact(true));
  }

  static Locator.FilterOptions named(String text) {
    return new Locator.FilterOptions().setHasText(text);
  }

  static void shot(Page page, String name) throws IOException {
    String dir = System.getProperty("screenshots");
    if (dir != null) {
      page.screenshot(
          new Page.ScreenshotOptions()
              .setPath(Files.createDirectories(Path.of(dir)).resolve(name + ".png")));
    }
  }

  /**
   * Goes to a page after the service was killed: the connections that the browser kept have died
   * with it, and it gives up once when it has met several of them in a row, which is told as that
   * or as a move to its own error page.
   */
  static void afterCut(Page page, String address) {
    try {
      page.navigate(address);
    } catch (PlaywrightException e) {
      if (!e.getMessage().contains("ERR_TOO_MANY_RETRIES")
          && !e.getMessage().contains("chrome-error://")) {
        throw e;
      }
      page.navigate(address);
    }
  }
}
