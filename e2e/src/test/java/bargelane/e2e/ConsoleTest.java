package bargelane.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.microsoft.playwright.Browser;
import com.microsoft.playwright.BrowserContext;
import com.microsoft.playwright.BrowserType;
import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.Playwright;
import com.microsoft.playwright.assertions.PlaywrightAssertions;
import com.microsoft.playwright.options.AriaRole;
import com.microsoft.playwright.options.ColorScheme;
import com.microsoft.playwright.options.FilePayload;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

/**
 * The console in Chromium, used as its engineer does. With -Dscreenshots=DIR it leaves pictures
 * there.
 */
class ConsoleTest {

  /** How long a slow machine may take; nothing waits that long that goes well. */
  @BeforeAll
  static void patience() {
    PlaywrightAssertions.setDefaultAssertionTimeout(180_000);
  }

  private static void addSite(Page page, String name, String kind) {
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Sites")).click();
    page.getByLabel("Name", new Page.GetByLabelOptions().setExact(true)).fill(name);
    page.getByLabel("Kind").click();
    page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName(kind)).click();
    Browsing.button(page, "Add and check").click();
    assertThat(page.getByRole(AriaRole.HEADING, new Page.GetByRoleOptions().setName(name)))
        .isVisible();
  }

  private static FilePayload csv(String name, String text) {
    return new FilePayload(name, "text/csv", text.getBytes(StandardCharsets.UTF_8));
  }

  /**
   * Machines that no platform tells of: by lists, over SSH, by agents; and rules for their labels.
   */
  private static void otherSources(Page page) throws IOException {
    addSite(page, "boathouse", "lists");
    Locator lists = page.getByRole(AriaRole.REGION, new Page.GetByRoleOptions().setName("Lists"));
    Locator machines = lists.locator("input[type=file]").first();
    machines.setInputFiles(csv("bad.csv", "name,memory\nboat-desk,4 GB\n"));
    assertThat(lists.getByText("1 thing is wrong: nothing is stored")).isVisible();
    assertThat(lists.getByText("'4 GB' is not a size, as 16GiB")).isVisible();
    machines.setInputFiles(csv("good.csv", "name,memory\nboat-desk,4GiB\n"));
    assertThat(lists.getByText("1 new, 0 changed; nothing is stored yet")).isVisible();
    Browsing.button(page, "Import").click();
    assertThat(page.locator("section[aria-label=Changes]").getByText("boat-desk")).isVisible();

    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Sites")).click();
    page.getByLabel("Credential", new Page.GetByLabelOptions().setExact(true)).fill("scouts");
    page.getByLabel("Type").click();
    page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName("password")).click();
    page.getByLabel("Account", new Page.GetByLabelOptions().setExact(true)).fill("scout");
    page.getByLabel("Secret").fill("made-up-secret");
    page.getByLabel("May be sent to").fill("127.0.0.1");
    Browsing.button(page, "Store").click();
    assertThat(
            page.locator("section[aria-label=Credentials] tbody tr")
                .filter(Browsing.named("scouts")))
        .isVisible();
    assertTrue(!page.content().contains("made-up-secret"), "a secret is not shown again");
    assertThat(page.locator("section[aria-label=Tugs] tbody tr").first()).containsText("0.1.0");
    Browsing.shot(page, "sites");

    page.getByLabel("Name", new Page.GetByLabelOptions().setExact(true)).fill("branches");
    page.getByLabel("Kind").click();
    page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName("over SSH")).click();
    page.getByLabel("Credentials, in their order").click();
    page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName("scouts")).click();
    page.keyboard().press("Escape");
    Browsing.button(page, "Add and check").click();
    page.getByLabel("Addresses").fill("127.0.0.1:1");
    Browsing.button(page, "Add").click();
    Locator servers =
        page.getByRole(AriaRole.REGION, new Page.GetByRoleOptions().setName("Servers"));
    assertThat(servers.getByText("127.0.0.1:1").first()).isVisible();
    Browsing.button(page, "Scan now").click();
    assertThat(servers.getByText("Connection refused")).isVisible();

    addSite(page, "annexes", "machines with agents");
    Browsing.button(page, "Line for a new agent").click();
    assertThat(page.locator("pre")).containsText("--pinnedpubkey 'sha256//");
    Browsing.shot(page, "agents");

    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Machines").setExact(true))
        .click();
    Locator filter = page.getByLabel("Filter", new Page.GetByLabelOptions().setExact(true));
    filter.fill("site = boathouse");
    filter.press("Enter");
    assertThat(page.getByText("1 chosen")).isVisible();
    page.getByLabel("Label by a rule").fill("zone=water");
    Browsing.button(page, "Always for this filter").click();
    assertThat(page.locator("section[aria-label='Label rules'] tbody tr"))
        .containsText("zone=water");
    assertThat(page.locator("section[aria-label=Machines] .MuiDataGrid-row"))
        .containsText("zone=water");
    com.microsoft.playwright.Download file =
        page.waitForDownload(() -> Browsing.button(page, "Export as CSV").click());
    String text = new String(file.createReadStream().readAllBytes(), StandardCharsets.UTF_8);
    assertTrue(text.startsWith("name,id,site,") && text.contains("label.zone\r\nboat-desk,"), text);
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("boat-desk")).click();
    assertThat(page.getByText("from boathouse (its home)")).isVisible();
    assertThat(page.getByText("zone=water, by a rule")).isVisible();
  }

  private static Locator panel(Page page, String name) {
    return page.getByRole(
        AriaRole.REGION, new Page.GetByRoleOptions().setName(name).setExact(true));
  }

  private static void choose(Page page, String label, String option) {
    page.getByLabel(label, new Page.GetByLabelOptions().setExact(true)).click();
    page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName(option).setExact(true))
        .click();
  }

  /**
   * The estate assessed for two targets; another revision; one machine; choices; sizes accepted.
   */
  private static void assessments(Page page, Journey journey, String address) throws IOException {
    journey.estate();
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Assessments")).click();
    assertThat(page.getByText("estate-fenwater")).isVisible();
    page.getByLabel("Name", new Page.GetByLabelOptions().setExact(true)).fill("lending");
    page.getByLabel("Machines (filter)").fill("nme = lending");
    choose(page, "Target", "saltmarsh");
    choose(page, "Prices", "saltmarsh-2026");
    Browsing.button(page, "Assess").click();
    assertThat(page.getByText("'nme' is not a field")).isVisible();
    page.getByLabel("Machines (filter)").fill("label.app = lending");
    Browsing.button(page, "Assess").click();
    assertThat(page.getByText("3 machines for saltmarsh")).isVisible();

    page.navigate(address + "/assessments/estate");
    assertThat(panel(page, "Configured and observed").getByText("Machines in the sum")).isVisible();
    Browsing.button(page, "Compute 180 choices").click();
    assertThat(page.getByText("which have a size at every choice")).isVisible();
    assertThat(panel(page, "What if").getByText("% headroom").first()).isVisible();
    Browsing.shot(page, "assessment");
    panel(page, "Readiness").getByText("disk-shared").click();
    assertThat(panel(page, "Machines").locator(".MuiDataGrid-row")).hasCount(2);
    page.reload();
    assertThat(panel(page, "Machines").locator(".MuiDataGrid-row")).hasCount(2);
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("files-standby")).click();
    assertThat(panel(page, "Findings").getByText("is also a disk of files")).isVisible();

    page.navigate(address + "/assessments/estate");
    page.getByLabel("Find", new Page.GetByLabelOptions().setExact(true)).fill("overdue");
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("overdue-notices")).click();
    Locator use = panel(page, "Use in the window");
    assertThat(use.getByText("configured 4.00 CPU")).isVisible();
    assertThat(use.getByText("punt-8 8.00 CPU")).isVisible();
    assertThat(panel(page, "As it is used").getByText("in the busiest 4 hours").first())
        .isVisible();
    Browsing.shot(page, "assessed-machine");

    page.navigate(address + "/assessments/estate");
    page.getByLabel("CPU + %").fill("60");
    page.getByLabel("Why").fill("room for the winter");
    Browsing.button(page, "Make revision 2").click();
    assertThat(page.getByText("room for the winter")).isVisible();
    assertThat(Browsing.button(page, "Make revision 3")).isVisible();
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("revision 1")).click();
    assertThat(panel(page, "Assumptions that differ").getByText("headroom.cpu")).isVisible();
    Browsing.button(page, "configured").click();
    assertThat(panel(page, "Machines that differ").getByText("No machine differs.")).isVisible();
    page.navigate(address + "/assessments/estate/comparison?with=estate-fenwater");
    assertThat(panel(page, "Machines that differ").getByText("no more: disk-too-large"))
        .isVisible();
    Browsing.shot(page, "assessment-comparison");

    page.navigate(address + "/assessments/estate?find=names-1");
    panel(page, "Machines")
        .locator(".MuiDataGrid-row")
        .filter(Browsing.named("names-1"))
        .getByRole(AriaRole.CHECKBOX)
        .check();
    Browsing.button(page, "Accept 1 observed size").click();
    assertThat(page.getByText("Accepted: 1")).isVisible();
    page.navigate(address + "/assessments/no-such");
    assertThat(page.getByText("there is no assessment 'no-such'")).isVisible();
  }

  private static void lanesRecoveryAndActivity(Page page) {
    section(page, "Lanes");
    assertThat(page.getByText("from there the two can't be told apart")).isVisible();
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("plan and decisions"))
        .click();
    Locator decisions = panel(page, "Decisions");
    choose(page, decisions, "Setting", "overlap");
    choose(page, decisions, "For", "network");
    decisions.getByLabel("Which").fill("archive");
    choose(page, decisions, "Value", "accepted");
    decisions
        .getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("Set").setExact(true))
        .click();
    assertThat(page.getByText("Everything at the source is joined.")).isVisible();
    section(page, "Waves");
    assertThat(panel(page, "Waves").getByText("lending").first()).isVisible();
    section(page, "Recovery");
    assertThat(panel(page, "Dossiers").getByText("cutover")).isVisible();
    section(page, "Activity");
    Locator runs = panel(page, "Runs");
    runs.getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("run-")).first().click();
    assertThat(page.getByRole(AriaRole.HEADING, new Page.GetByRoleOptions().setName("Steps of")))
        .isVisible();
    Browsing.button(page, "With the timetables' passes").click();
    assertThat(runs.getByText("Pass", new Locator.GetByTextOptions().setExact(true)).first())
        .isVisible();
    assertTrue(page.url().contains("passes=true"), "the choice is in the address");
  }

  private static void choose(Page page, Locator in, String field, String value) {
    in.getByRole(AriaRole.COMBOBOX, new Locator.GetByRoleOptions().setName(field).setExact(true))
        .click();
    page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName(value).setExact(true))
        .click();
  }

  private static void section(Page page, String name) {
    page.getByRole(AriaRole.NAVIGATION)
        .getByRole(AriaRole.LINK, new Locator.GetByRoleOptions().setName(name).setExact(true))
        .click();
  }

  /** Rules of WCAG 2, levels A and AA, that a program can check. */
  private static final String CHECK =
      "() => axe.run(document, { runOnly: ['wcag2a', 'wcag2aa'] }).then((r) =>"
          + " r.violations.map((v) => v.id + ': ' + v.nodes.map((n) => n.html).join(' | ')))";

  private static void everyPageIsAccessible(Page page, String address) throws IOException {
    String axe = Files.readString(Path.of("../console/node_modules/axe-core/axe.min.js"));
    List<String> paths =
        List.of(
            "/",
            "/sites",
            "/sites/mill-street",
            "/machines",
            "/assessments",
            "/assessments/estate",
            "/lanes",
            "/lanes/mill-to-marsh",
            "/waves",
            "/waves/lending",
            "/recovery",
            "/activity");
    List<String> wrong = new ArrayList<>();
    for (ColorScheme scheme : List.of(ColorScheme.LIGHT, ColorScheme.DARK)) {
      for (String path : paths) {
        page.navigate(address + path);
        if (Browsing.button(page, scheme == ColorScheme.DARK ? "Dark" : "Light").isVisible()) {
          Browsing.button(page, scheme == ColorScheme.DARK ? "Dark" : "Light").click();
        }
        assertThat(page.locator("main section, main h1").first()).isVisible();
        page.evaluate(axe);
        ((List<?>) page.evaluate(CHECK)).forEach(v -> wrong.add(scheme + " " + path + " " + v));
      }
    }
    assertEquals(List.of(), wrong);
  }

  @Test
  void anEveningWithTheConsole() throws IOException {
    try (Harness harness = Harness.light().all();
        Playwright playwright =
            Playwright.create(
                new Playwright.CreateOptions()
                    .setEnv(Map.of("PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD", "1")));
        Browser browser =
            playwright
                .chromium()
                .launch(
                    new BrowserType.LaunchOptions()
                        .setExecutablePath(Path.of("/usr/bin/chromium"))
                        .setArgs(Browsing.FLAGS))) {
      Journey journey = new Journey(harness.api(), line -> {});
      journey.prepare(harness, 5, 600);
      BrowserContext context =
          browser.newContext(
              new Browser.NewContextOptions()
                  .setViewportSize(1280, 800)
                  .setIgnoreHTTPSErrors(true)
                  .setColorScheme(ColorScheme.LIGHT));
      Page page = context.newPage();
      List<String> errors = new ArrayList<>();
      page.onPageError(errors::add);

      page.navigate(harness.serviceAddress() + "/waves/lending");
      page.getByLabel("Password").fill("not the password");
      Browsing.button(page, "Sign in").click();
      assertThat(page.getByText("the account or the password is wrong")).isVisible();
      page.getByLabel("Password").fill(harness.signInPassword());
      Browsing.button(page, "Sign in").click();
      assertThat(page.getByRole(AriaRole.HEADING, new Page.GetByRoleOptions().setName("lending")))
          .isVisible();
      assertThat(page.getByText("live")).isVisible();

      // Load, from the page, and see the gates open without a reload.
      Browsing.button(page, "Load").click();
      page.getByRole(AriaRole.DIALOG)
          .getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("Load"))
          .click();
      assertThat(page.getByLabel("laden: open").first()).isVisible();
      assertThat(page.getByLabel("proven: shut").first()).isVisible();

      // A gate tells what keeps it shut, by mouse and by keyboard.
      page.getByLabel("landed: shut").first().click();
      assertThat(page.getByText("it runs at its source")).isVisible();
      page.getByLabel("proven: shut").nth(1).focus();
      page.keyboard().press("Enter");
      assertThat(page.getByText("lending-app, gate ‘proven’: shut")).isVisible();
      assertThat(page.getByText("no test cutover was made")).isVisible();

      ConsoleStarts.aProbeIsChosen(page);
      ConsoleStarts.aGuestPanics(page, harness.saltmarsh());

      ConsoleStarts.testCutover(page);
      assertThat(page.getByText("Compare every block with what the source held")).isVisible();
      assertThat(page.getByText("no block differs")).isVisible();
      Browsing.shot(page, "wave-test-running");
      assertThat(page.getByLabel("proven: open").first()).isVisible();
      assertThat(Browsing.button(page, "Cutover")).isVisible();
      journey.awaitPoint(java.time.Instant.now());
      Browsing.shot(page, "wave");

      // What a refit would change is looked into from the page.
      assertThat(page.getByText("both sides have simulated disks").first()).isVisible();
      Browsing.button(page, "Look into the guests").click();
      assertThat(page.getByText("Look into the guests of lending").first()).isVisible();

      // A cutover wants the wave's name typed.
      Browsing.button(page, "Cutover").click();
      Locator dialog = page.getByRole(AriaRole.DIALOG);
      Locator go =
          dialog.getByRole(AriaRole.BUTTON, new Locator.GetByRoleOptions().setName("Cutover"));
      assertThat(go).isDisabled();
      dialog.getByRole(AriaRole.TEXTBOX).fill("landing");
      assertThat(go).isDisabled();
      dialog.getByRole(AriaRole.TEXTBOX).fill("lending");
      assertThat(go).isEnabled();
      Browsing.shot(page, "wave-cutover-confirm");
      go.click();
      assertThat(page.getByLabel("landed: open").first()).isVisible();
      assertThat(Browsing.button(page, "Failback")).isVisible();
      assertTrue(harness.saltmarsh().runs("lending-db"));

      // The overview, light and dark, at once and with nothing left to load.
      page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Overview")).click();
      assertThat(page.getByText("Needs you")).isVisible();
      assertThat(page.getByText("2/2").first()).isVisible();
      Browsing.shot(page, "overview");
      Browsing.button(page, "Dark").click();
      assertThat(Browsing.button(page, "Light")).isVisible();
      Browsing.shot(page, "overview-dark");
      page.navigate(harness.serviceAddress() + "/waves/lending");
      assertThat(page.getByLabel("settled: shut").first()).isVisible();

      // The estate as a table whose choice is in the address; a filter that is wrong says where.
      page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Machines").setExact(true))
          .click();
      Locator filter = page.getByLabel("Filter", new Page.GetByLabelOptions().setExact(true));
      filter.fill("name has lending and memry > 1GiB");
      filter.press("Enter");
      assertThat(page.getByText("'memry' is not a field, at character 22")).isVisible();
      filter.fill("wave = lending and memory > 1MiB");
      filter.press("Enter");
      assertThat(page.getByText("2 chosen")).isVisible();
      page.getByRole(AriaRole.COLUMNHEADER, new Page.GetByRoleOptions().setName("Name")).click();
      assertThat(page.locator(".MuiDataGrid-row").first()).containsText("lending-db");
      assertTrue(page.url().contains("sort=-name") && page.url().contains("filter=wave"));
      page.reload();
      assertThat(page.getByText("2 chosen")).isVisible();
      Browsing.shot(page, "machines");
      page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("lending-db")).click();
      assertThat(page.getByText("Known there as")).isVisible();
      page.getByLabel("New label").fill("app=lending");
      Browsing.button(page, "Give").click();
      assertThat(page.getByText("app=lending, by hand")).isVisible();
      Browsing.shot(page, "machine");
      page.locator(".MuiChip-deleteIcon").click();
      assertThat(page.getByText("app=lending, by hand")).isHidden();

      // Its use, by what the address says; whom it talks to leads on to the next machine.
      Locator use = page.getByRole(AriaRole.REGION, new Page.GetByRoleOptions().setName("Use"));
      assertThat(use.getByText("configured 4.00 CPU")).isVisible();
      assertThat(use.getByText("P95").first()).isVisible();
      page.navigate(page.url() + "?metric=memory&days=45&percentile=99");
      assertThat(use.getByText("configured 16GiB")).isVisible();
      assertThat(use.getByText("the window holds no quarter end")).isVisible();
      assertThat(use.getByText("Coverage 99.")).isVisible();
      Locator talks =
          page.getByRole(AriaRole.REGION, new Page.GetByRoleOptions().setName("Talks to"));
      talks.locator("svg text[role=link]").filter(Browsing.named("overdue-notices")).click();
      assertThat(
              page.getByRole(
                  AriaRole.HEADING, new Page.GetByRoleOptions().setName("overdue-notices")))
          .isVisible();
      page.navigate(page.url() + "?days=45&percentile=99");
      assertThat(talks.getByText("198.51.100.25").first()).isVisible();
      assertThat(use.getByText("above it for")).isVisible();
      Browsing.shot(page, "machine-use");

      // A site is scanned from its page, which tells what came of it.
      page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Sites")).click();
      page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("mill-street")).click();
      assertThat(page.getByText("36 machines: 36 appeared")).isVisible();
      assertThat(page.getByText("srv-quill7")).isVisible();
      Browsing.button(page, "Scan now").click();
      assertThat(page.locator("section[aria-label=Scans] tbody tr")).hasCount(2);
      assertThat(page.locator("section[aria-label=Scans] tbody tr").first()).containsText("done");
      Browsing.shot(page, "site");

      otherSources(page);
      assessments(page, journey, harness.serviceAddress());

      lanesRecoveryAndActivity(page);
      everyPageIsAccessible(page, harness.serviceAddress());

      page.navigate(harness.serviceAddress() + "/machines/no-such");
      assertThat(page.getByText("there is no machine 'no-such'")).isVisible();
      page.navigate(harness.serviceAddress() + "/waves/lending");
      assertThat(page.getByLabel("settled: shut").first()).isVisible();

      // The stream is cut: the page says so, and goes on by itself when the service is back.
      harness.kill("service");
      assertThat(page.getByText("not connected")).isVisible();
      harness.service();
      assertThat(page.getByText("not connected")).isHidden();

      Browsing.afterCut(page, harness.serviceAddress() + "/waves/no-such-wave");
      assertThat(page.getByText("there is no wave 'no-such-wave'")).isVisible();
      Browsing.button(page, "Sign out").click();
      assertThat(page.getByLabel("Password")).isVisible();
      assertEquals(List.of(), errors);
    }
  }
}
