package bargelane.e2e;

import bargelane.api.GroupRoles;
import bargelane.api.ProviderSet;
import bargelane.client.ApiClient;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/**
 * Fills a fresh service with the demo: both sites scanned, the lane joined, the lending wave
 * replicating.
 */
public final class DemoSetup {

  private DemoSetup() {}

  private static String line(Path file) throws IOException {
    return Files.readString(file).strip();
  }

  /** People may sign in through the demo's identity provider too. */
  private static void identities(ApiClient api, Path home) throws IOException {
    Path own = home.resolve("estate/identities");
    api.put(
        "/sign-in/provider",
        new ProviderSet(
            "Harbour Office",
            line(own.resolve("address")),
            "lane",
            "lane-demo",
            line(home.resolve("service/address")),
            null,
            null,
            Files.readString(own.resolve("authority.pem")),
            List.of(
                new GroupRoles("crew", List.of("planner", "mover"), ""),
                new GroupRoles("lending-owners", List.of("approver"), "label.app = lending"),
                new GroupRoles("watch", List.of("reader"), ""))));
  }

  public static void main(String[] args) throws IOException {
    Path home = Path.of(args[0]);
    ApiClient api = ApiClient.ofHome(home);
    if (!api.get("/sites").isEmpty()) {
      System.out.println("The demo estate is set up already.");
      return;
    }
    Journey journey = new Journey(api, step -> {});
    System.out.println(
        "Adding and scanning the machine room at Mill Street, and the clouds Saltmarsh and Fenwater"
            + " ...");
    journey.addSite(
        "mill-street", new Platform(line(home.resolve("estate/address")), "mill-street-demo"));
    journey.addSite(
        "saltmarsh", new Platform(line(home.resolve("cloud/address")), "saltmarsh-demo"));
    journey.addSite(
        "fenwater", new Platform(line(home.resolve("fenwater/address")), "fenwater-demo"));
    for (String site : List.of("mill-street", "saltmarsh", "fenwater")) {
      journey.check(site);
      journey.scan(site);
    }
    identities(api, home);
    System.out.println(
        "Assessing all 36 machines for Saltmarsh, and for Fenwater by its prices ...");
    journey.estate();
    System.out.println("Planning the wave 'lending': the database and its application ...");
    journey.lane(Journey.NETWORKS);
    journey.timetable(15, 60, 6);
    journey.plan();
    journey.size("estate");
    System.out.println("Loading it: the first full pass ...");
    journey.work("load");
  }
}
