package bargelane.e2e;

import bargelane.client.ApiClient;
import bargelane.standins.host.DemoGuest;
import bargelane.standins.host.SmallMachines;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;

/**
 * Stock guests on the other hardware and back, one after the other: a test, a cutover and a
 * failback each. What the plan calls good has to start; what it refuses is written down with its
 * reason.
 */
final class GuestTour extends Narration {

  private final Path dir;
  private final String name;

  private GuestTour(Path dir, String name, boolean verbose) {
    super(verbose);
    this.dir = dir;
    this.name = name;
  }

  /** Guests that are named are taken again; with none, those that have no row yet. */
  public static void main(String[] args) throws IOException {
    Path root = Path.of(System.getProperty("bargelane.root"));
    Path page = root.resolve("docs/guests.md");
    Path dir = Files.createDirectories(root.resolve("target/stock-guests"));
    GuestRows rows = GuestRows.read(Files.exists(page) ? Files.readString(page) : "");
    List<String> named = new ArrayList<>(List.of(args));
    named.removeIf(a -> a.startsWith("--"));
    for (String name : named) {
      Optional<String> wrong = GuestMatrix.wrong(name);
      if (wrong.isPresent()) {
        System.err.println(wrong.get());
        System.exit(2);
      }
    }
    List<String> wanted = named.isEmpty() ? new ArrayList<>(GuestMatrix.names()) : named;
    if (named.isEmpty()) {
      wanted.removeAll(rows.names());
    }
    int failures = 0;
    for (String name : wanted) {
      GuestTour tour = new GuestTour(dir, name, List.of(args).contains("--steps"));
      GuestRows.Row row = tour.row();
      failures += tour.sum();
      // Read again: others may have been taken meanwhile.
      rows = GuestRows.read(Files.exists(page) ? Files.readString(page) : "");
      rows.put(row);
      Files.writeString(page, rows.page());
    }
    System.out.println(
        wanted.size() + " guests taken, " + rows.names().size() + " are in docs/guests.md");
    System.exit(failures == 0 ? 0 : 1);
  }

  /** What the columns say, in their order; those that were not reached are empty. */
  private final Map<String, String> told = new LinkedHashMap<>();

  private GuestRows.Row row() {
    try {
      go();
    } catch (IOException | RuntimeException e) {
      String column =
          List.of("plan", "test", "cutover", "failback", "files").stream()
              .filter(c -> !told.containsKey(c))
              .findFirst()
              .orElse("files");
      told.put(column, "FAILED: " + e.getMessage());
      check(name + " " + column + ": " + e.getMessage(), false);
    }
    return new GuestRows.Row(
        name,
        LocalDate.now(ZoneOffset.UTC).toString(),
        told.getOrDefault("plan", ""),
        told.getOrDefault("test", ""),
        told.getOrDefault("cutover", ""),
        told.getOrDefault("failback", ""),
        told.getOrDefault("files", ""));
  }

  private void go() throws IOException {
    System.out.println();
    System.out.println(name);
    say("Installing it, or taking it as it was installed ...");
    DemoGuest guest = SmallMachines.stock(dir, name, RealHosts.freePort());
    try (RealHosts hosts = new RealHosts(guest, 0);
        Harness harness = Harness.create()) {
      try {
        take(harness.database().service().api(), hosts.home, hosts.away);
      } catch (IOException | RuntimeException e) {
        Path kept = dir.resolve(name + ".failed");
        if (Files.exists(kept)) {
          SmallMachines.delete(kept);
        }
        hosts.keepLogs(kept);
        say("Its hosts' logs and its consoles are kept in " + kept + ".");
        throw e;
      }
    }
  }

  private void take(ApiClient api, Shore home, Shore away) throws IOException {
    Journey journey = new Journey(api, this::detail);
    say("It runs on its old devices after " + seconds(home.up(name)) + ".");
    List<String> before = seen(home, "old");
    Map<String, String> files = files(home);
    RealHosts.addSite(api, RealTour.HOME, home.address);
    RealHosts.addSite(api, RealTour.AWAY, away.address);
    journey.scan(RealTour.HOME);
    journey.scan(RealTour.AWAY);
    RealHosts.join(api);
    RealHosts.plan(api, journey, 30, name);
    api.put(
        "/waves/lending/probes",
        Map.of("machine", name, "withinSeconds", (int) Shore.BOOT.toSeconds()));
    journey.work("load");
    journey.work("/waves/lending/refit", null);
    JsonNode plan = api.get("/waves/lending/refit").path(0);
    List<String> edits = new ArrayList<>();
    plan.path("edits").forEach(e -> edits.add(e.path("path").asText()));
    plan.path("edits")
        .forEach(e -> say(e.path("path").asText() + ": " + e.path("reason").asText()));
    String unjudged = texts(plan.path("unjudged"));
    if (!plan.path("refused").isEmpty()) {
      told.put(
          "plan",
          "in the way: "
              + texts(plan.path("refused"))
              + (unjudged.isEmpty() ? "" : "; " + unjudged));
      check("what is in the way is said beforehand: " + told.get("plan"), true);
      return;
    }
    told.put(
        "plan", String.join(", ", edits) + (unjudged.isEmpty() ? "" : "; not judged: " + unjudged));
    told.put("test", started(journey.work("test")));
    say("Test: it answered after " + told.get("test") + ".");
    JsonNode cutover = journey.confirmed("cutover");
    told.put("cutover", started(cutover));
    say("The steps of the cutover took " + times(cutover) + ".");
    List<String> there = seen(away, "new");
    JsonNode nic = journey.wave().path("machines").path(0).path("nics").path(0);
    String address = nic.path("address").asText();
    check(
        "it has its planned address there, " + address,
        there.stream().anyMatch(l -> l.startsWith("address ") && l.contains(" " + address + "/")));
    check(
        "its card has its name there: " + only(before, "card "),
        only(there, "card ").equals(only(before, "card ")));
    check(
        "nothing failed there that did not before: " + only(there, "failed "),
        only(before, "failed ").containsAll(only(there, "failed ")));
    Set<String> changed = differing(files, files(away));
    Set<String> others = unplanned(changed, edits);
    check("no file differs there but those of the plan: " + others, others.isEmpty());
    journey.awaitPoint(Instant.now());
    told.put("failback", started(journey.confirmed("failback")));
    List<String> back = seen(home, "old again");
    check(
        "it is back at its address: " + only(before, "address "),
        only(back, "address ").equals(only(before, "address ")));
    Set<String> left = unplanned(differing(files, files(home)), List.of());
    check("every file is what it was: " + left, left.isEmpty());
    told.put("files", others.isEmpty() && left.isEmpty() ? "equal" : "differ: " + others + left);
    journey.confirmed("settle");
    check(
        "nothing of ours is left: " + home.ours() + away.ours(),
        home.ours().isEmpty() && away.ours().isEmpty());
  }

  private static String texts(JsonNode array) {
    List<String> texts = new ArrayList<>();
    array.forEach(t -> texts.add(t.asText()));
    return String.join("; ", texts);
  }

  /** How long the machines of a run took to answer. */
  private static String started(JsonNode run) {
    for (JsonNode s : run.path("steps")) {
      if (s.path("name").asText().startsWith("start-")) {
        return Duration.between(
                    Instant.parse(s.path("startedAt").asText()),
                    Instant.parse(s.path("endedAt").asText()))
                .toSeconds()
            + " s";
      }
    }
    return "not started";
  }

  /** What the guest sees of itself. */
  private List<String> seen(Shore shore, String devices) throws IOException {
    List<String> lines =
        shore.asked(name, "seen").lines().map(String::strip).filter(l -> !l.isEmpty()).toList();
    lines.forEach(l -> detail(devices + ": " + l));
    return lines;
  }

  /** Values of one kind, cards without their drivers. */
  private static List<String> only(List<String> lines, String kind) {
    return lines.stream()
        .filter(l -> l.startsWith(kind))
        .map(l -> l.substring(kind.length()))
        .filter(l -> !kind.equals("card ") || l.contains(":"))
        .map(l -> kind.equals("card ") ? l.substring(0, l.lastIndexOf(':') + 3) : l)
        .sorted()
        .toList();
  }

  /** Digest, mode and owner of each file, by its path. */
  private Map<String, String> files(Shore shore) throws IOException {
    Map<String, String> files = new LinkedHashMap<>();
    for (String line : shore.asked(name, "digests").split("\n")) {
      String[] words = line.strip().split(" ", 3);
      if (words.length == 3) {
        files.put(words[1], words[0] + " " + words[2]);
      }
    }
    if (files.size() < 100) {
      throw new IOException("the guest tells of " + files.size() + " files only");
    }
    return files;
  }

  private static Set<String> differing(Map<String, String> before, Map<String, String> after) {
    Set<String> paths = new TreeSet<>(before.keySet());
    paths.addAll(after.keySet());
    paths.removeIf(p -> before.getOrDefault(p, "").equals(after.getOrDefault(p, "")));
    return paths;
  }

  /** Without those of the plan, and those that a system writes by itself. */
  private static Set<String> unplanned(Set<String> paths, List<String> edits) {
    return paths.stream()
        .filter(p -> edits.stream().noneMatch(p::endsWith))
        .filter(p -> !p.equals("/etc/resolv.conf") && !p.equals("/etc/adjtime"))
        .collect(Collectors.toCollection(TreeSet::new));
  }
}
