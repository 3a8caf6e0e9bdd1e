package bargelane.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;

/** Steps on a wave's page about the starts of its machines. */
final class ConsoleStarts {

  private ConsoleStarts() {}

  static void testCutover(Page page) {
    Browsing.button(page, "Test cutover").click();
    page.getByRole(AriaRole.DIALOG)
        .getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("Test cutover"))
        .click();
  }

  /** How a machine is probed is changed on the page, and what is wrong is said there. */
  static void aProbeIsChosen(Page page) {
    Browsing.button(page, "Change the probe of lending-app").click();
    Locator probe = page.getByRole(AriaRole.DIALOG);
    Locator save = probe.getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("Save"));
    probe.getByLabel("Port of the guest").fill("70000");
    save.click();
    assertThat(probe.getByText("'70000' is not a port")).isVisible();
    probe.getByLabel("Port of the guest").fill("8080");
    probe.getByLabel("Time from its start").fill("5m");
    save.click();
    assertThat(
            page.getByRole(AriaRole.CELL, new Page.GetByRoleOptions().setName("5m").setExact(true)))
        .isVisible();
  }

  /** A guest that panics ends its test, and the page shows what it wrote. */
  static void aGuestPanics(Page page, Platform platform) throws IOException {
    platform.panics("lending-app");
    testCutover(page);
    assertThat(page.getByText("lending-app does not start at saltmarsh").first()).isVisible();
    assertThat(page.getByRole(AriaRole.LOG, new Page.GetByRoleOptions().setName("lending-app")))
        .containsText("Kernel panic - not syncing");
    Browsing.shot(page, "wave-start-failed");
    platform.panics("");
  }
}
