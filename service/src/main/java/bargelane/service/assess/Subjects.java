package bargelane.service.assess;

import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Fitness.SystemRow;
import bargelane.core.assess.Offer;
import bargelane.core.assess.Subject;
import bargelane.core.assess.Use;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.core.usage.LoadProfile;
import bargelane.core.word.Worded;
import bargelane.service.platform.Json;
import bargelane.service.usage.UsageDigests;
import com.fasterxml.jackson.core.type.TypeReference;
import com.fasterxml.jackson.databind.JsonNode;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.LocalDate;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Consumer;

/**
 * Brings together what is known of machines, from whoever told it, in blocks, so that neither the
 * database is asked once a machine nor all of them are held at once.
 */
final class Subjects {

  private static final double DAYS_A_MONTH = 30.4375;
  private static final double GIB = 1L << 30;

  /** What a block's machines share. */
  private record SiteFacts(
      String name, SiteKind kind, Map<String, String> media, String findings) {}

  /** A volume that several machines have, and which. */
  private record Shared(Set<String> volumes, Set<String> with) {}

  /** Who was seen to talk to a machine. */
  private record Peers(
      int clients, int foreign, String used, Optional<Double> outwardGib, boolean fromOutside) {
    static final Peers NONE = new Peers(0, 0, "", Optional.empty(), false);
  }

  /**
   * A machine to be assessed.
   *
   * @param facts that rules of fitness go by
   * @param told who told a fact
   */
  record Loaded(Subject subject, Map<String, Object> facts, Map<String, String> told) {}

  private final Assumptions assumptions;
  private final Map<String, BigDecimal> hours;
  private final FitnessYaml.Read rules;
  private final Offer offer;
  private final LocalDate today;
  private final Map<String, SiteFacts> sites = new HashMap<>();
  private final Map<String, Shared> shared = new HashMap<>();

  /**
   * @param hours a week of those machines that don't run as all do, by their id
   */
  Subjects(
      Connection db,
      Assumptions assumptions,
      Map<String, BigDecimal> hours,
      FitnessYaml.Read rules,
      Offer offer,
      LocalDate today)
      throws SQLException {
    this.assumptions = assumptions;
    this.hours = hours;
    this.rules = rules;
    this.offer = offer;
    this.today = today;
    sites(db);
    shared(db);
  }

  private void sites(Connection db) throws SQLException {
    try (Statement s = db.createStatement();
        ResultSet r =
            s.executeQuery(
                "select id, name, kind, (select coalesce(jsonb_object_agg(x.id, x.media), '{}')"
                    + " from site_storage x where x.site_id = site.id and x.media is not null),"
                    + " cast(findings as text) from site")) {
      while (r.next()) {
        Map<String, String> media =
            Json.read(r.getString(4), new TypeReference<Map<String, String>>() {});
        sites.put(
            r.getString(1),
            new SiteFacts(
                r.getString(2), Worded.of(SiteKind.class, r.getString(3)), media, r.getString(5)));
      }
    }
  }

  /** Volumes of platforms that several machines of one site have; lists give them no names. */
  private void shared(Connection db) throws SQLException {
    try (PreparedStatement s =
        db.prepareStatement(
            "select v.volume, array_agg(v.id), array_agg(v.name) from ("
                + "select m.id, m.name, m.site_id, d ->> 'volume' volume from machine m"
                + " join site t on t.id = m.site_id, jsonb_array_elements(m.facts -> 'disks') d"
                + " where m.vanished_at is null and t.kind = any(?)) v"
                + " group by v.site_id, v.volume having count(distinct v.id) > 1")) {
      s.setArray(
          1,
          db.createArrayOf(
              "text",
              Arrays.stream(SiteKind.values())
                  .filter(SiteKind::replicates)
                  .map(SiteKind::word)
                  .toArray()));
      try (ResultSet r = s.executeQuery()) {
        while (r.next()) {
          String[] ids = (String[]) r.getArray(2).getArray();
          String[] names = (String[]) r.getArray(3).getArray();
          for (int i = 0; i < ids.length; i++) {
            Shared of =
                shared.computeIfAbsent(ids[i], x -> new Shared(new TreeSet<>(), new TreeSet<>()));
            of.volumes().add(r.getString(1));
            of.with().addAll(Arrays.asList(names));
            of.with().remove(names[i]);
          }
        }
      }
    }
  }

  /** Loads machines, one after the other; those that are not there any more are left out. */
  void load(Connection db, UsageDigests.Reader usage, List<String> ids, Consumer<Loaded> each)
      throws SQLException {
    Map<String, LoadProfile> profiles = usage.profiles(ids);
    Map<String, Peers> peers = peers(db, ids);
    Map<String, Set<String>> agents = agents(db, ids);
    Map<String, Double> clocks = clocks(db, ids);
    try (PreparedStatement s =
        db.prepareStatement(
            "select id, site_id, cast(facts as text), cast(labels as text) from machine"
                + " where id = any(?) order by name, id")) {
      s.setArray(1, db.createArrayOf("text", ids.toArray()));
      try (ResultSet r = s.executeQuery()) {
        while (r.next()) {
          String id = r.getString(1);
          each.accept(
              loaded(
                  id,
                  sites.get(r.getString(2)),
                  Json.read(r.getString(3), MachineFacts.class),
                  Json.read(r.getString(4), new TypeReference<TreeMap<String, String>>() {}),
                  Optional.ofNullable(profiles.get(id)),
                  peers.getOrDefault(id, Peers.NONE),
                  agents.getOrDefault(id, Set.of()),
                  Optional.ofNullable(clocks.get(id))));
        }
      }
    }
  }

  private static Map<String, Peers> peers(Connection db, List<String> ids) throws SQLException {
    Map<String, Peers> peers = new HashMap<>();
    try (PreparedStatement s =
        db.prepareStatement(
            """
            with mine as (select machine_id, address from machine_address where machine_id = any(?)),
            seen as (
              select m.machine_id, m.address, c.client peer, true inbound, c.bytes, c.first_seen, c.last_seen
              from mine m join connection c on c.server = m.address
              union all
              select m.machine_id, m.address, c.server, false, c.bytes, c.first_seen, c.last_seen
              from mine m join connection c on c.client = m.address),
            judged as (
              select s.*, address_inside(s.peer) inside,
                exists (select 1 from machine_address a where a.address = s.peer) known from seen s)
            select machine_id,
              count(distinct peer) filter (where inbound and known),
              count(distinct peer) filter (where inbound and inside and not known),
              string_agg(distinct host(address), ', ') filter (where inbound),
              sum(bytes) filter (where not inside and not known),
              min(first_seen) filter (where not inside and not known),
              max(last_seen) filter (where not inside and not known),
              coalesce(bool_or(inbound and not inside and not known), false)
            from judged group by machine_id
            """)) {
      s.setArray(1, db.createArrayOf("text", ids.toArray()));
      try (ResultSet r = s.executeQuery()) {
        while (r.next()) {
          double bytes = r.getDouble(5);
          Optional<Double> gib = Optional.empty();
          if (bytes > 0) {
            // What was seen within less than a day is taken for a day's.
            double days =
                Math.max(
                    1,
                    Duration.between(r.getTimestamp(6).toInstant(), r.getTimestamp(7).toInstant())
                            .toSeconds()
                        / 86_400.0);
            gib = Optional.of(bytes / GIB / days * DAYS_A_MONTH);
          }
          peers.put(
              r.getString(1),
              new Peers(
                  r.getInt(2),
                  r.getInt(3),
                  r.getString(4) == null ? "" : r.getString(4),
                  gib,
                  r.getBoolean(8)));
        }
      }
    }
    return peers;
  }

  private Map<String, Set<String>> agents(Connection db, List<String> ids) throws SQLException {
    Map<String, Set<String>> agents = new HashMap<>();
    try (PreparedStatement s =
        db.prepareStatement(
            "select g.machine_id, p ->> 'name' from sighting g, jsonb_array_elements(g.survey -> 'packages') p"
                + " where g.machine_id = any(?) and g.survey is not null and p ->> 'name' = any(?)")) {
      s.setArray(1, db.createArrayOf("text", ids.toArray()));
      s.setArray(2, db.createArrayOf("text", rules.agents().toArray()));
      try (ResultSet r = s.executeQuery()) {
        while (r.next()) {
          agents.computeIfAbsent(r.getString(1), x -> new TreeSet<>()).add(r.getString(2));
        }
      }
    }
    return agents;
  }

  private static Map<String, Double> clocks(Connection db, List<String> ids) throws SQLException {
    Map<String, Double> clocks = new HashMap<>();
    try (PreparedStatement s =
        db.prepareStatement(
            "select g.machine_id, abs(a.clock_ahead) / 1000.0 from sighting g"
                + " join agent a on a.site_id = g.site_id and a.id = g.source_key where g.machine_id = any(?)")) {
      s.setArray(1, db.createArrayOf("text", ids.toArray()));
      try (ResultSet r = s.executeQuery()) {
        while (r.next()) {
          clocks.put(r.getString(1), r.getDouble(2));
        }
      }
    }
    return clocks;
  }

  private Loaded loaded(
      String id,
      SiteFacts site,
      MachineFacts told,
      Map<String, String> labels,
      Optional<LoadProfile> profile,
      Peers peers,
      Set<String> agents,
      Optional<Double> clock) {
    String os = told.os().isEmpty() ? told.guest().os() : told.os();
    Optional<SystemRow> system = rules.fitness().system(os);
    Set<String> licences = new TreeSet<>();
    for (String l : labels.getOrDefault("licence", "").split("[,;]")) {
      if (!l.isBlank()) {
        licences.add(l.strip().toLowerCase(java.util.Locale.ROOT));
      }
    }
    system.map(SystemRow::licence).filter(l -> !l.isEmpty()).ifPresent(licences::add);
    Map<String, Object> facts = new HashMap<>();
    facts.put("os", os);
    system.ifPresent(
        row -> {
          facts.put("system.family", row.family());
          row.supportedUntil()
              .ifPresent(
                  until -> {
                    facts.put("system.supportedUntil", until.toString());
                    facts.put("system.ended", until.isBefore(today));
                    facts.put("system.daysLeft", ChronoUnit.DAYS.between(today, until));
                  });
        });
    facts.put("firmware", told.firmware());
    facts.put("on", told.on());
    facts.put("cpus", told.cpus());
    facts.put("memoryGib", told.memoryMib() / 1024.0);
    facts.put("nics.count", told.nics().size());
    facts.put("devices.disk", told.devices().disk());
    facts.put("devices.nic", told.devices().nic());
    facts.put("licences", List.copyOf(licences));
    labels.forEach((name, value) -> facts.put("label." + name, value));
    disks(facts, id, site, told);
    facts.put("address.clients", peers.clients);
    facts.put("address.foreignClients", peers.foreign);
    facts.put("address.used", peers.used);
    if (!agents.isEmpty()) {
      facts.put("agents", List.copyOf(agents));
    }
    clock.ifPresent(seconds -> facts.put("clock.offSeconds", seconds));
    free(told).ifPresent(mib -> facts.put("guest.freeMib", mib));
    facts.put("source.kind", site.kind.word());
    facts.put("source.replicates", site.kind.replicates());
    int most = offer.sizes().stream().mapToInt(s -> s.limits().disks()).max().orElse(0);
    if (most > 0 && offer.sizes().stream().allMatch(s -> s.limits().disks() > 0)) {
      facts.put("target.disks", most);
    }
    if (offer.largestGib() > 0) {
      facts.put("target.largestGib", offer.largestGib());
    }
    return new Loaded(
        new Subject(
            id,
            told,
            site.media,
            profile.map(p -> Use.of(p, assumptions.sustainedHours())),
            Optional.ofNullable(hours.get(id)),
            licences,
            peers.outwardGib.map(OptionalDouble::of).orElse(OptionalDouble.empty()),
            peers.fromOutside),
        facts,
        told(site, told, os, system));
  }

  /** What is free where the system lies, in MiB. */
  private static OptionalDouble free(MachineFacts told) {
    return told.guest().fileSystems().stream()
        .filter(f -> f.bytes() > 0 && (f.mount().equals("/") || f.mount().startsWith("C:")))
        .mapToDouble(f -> (f.bytes() - f.used()) / (double) (1 << 20))
        .findFirst();
  }

  private void disks(Map<String, Object> facts, String id, SiteFacts site, MachineFacts told) {
    facts.put("disks.count", told.disks().size());
    facts.put(
        "disks.largestGib", told.disks().stream().mapToLong(Disk::bytes).max().orElse(0) / GIB);
    facts.put("disks.totalGib", told.disks().stream().mapToLong(Disk::bytes).sum() / GIB);
    Shared with = shared.get(id);
    if (with != null) {
      facts.put("disks.shared", List.copyOf(with.volumes));
      facts.put("disks.sharedWith", List.copyOf(with.with));
    }
    if (site.kind.replicates()) {
      boolean untracked = false;
      for (JsonNode f : Json.read(site.findings, JsonNode.class)) {
        untracked |=
            f.path("code").asText().equals(Code.DISK_KEEPS_NO_CHANGES.name())
                && f.path("thing").asText().startsWith(told.name() + ", disk ");
      }
      facts.put("disks.tracked", !untracked);
    }
  }

  private static Map<String, String> told(
      SiteFacts site, MachineFacts told, String os, Optional<SystemRow> system) {
    Map<String, String> by = new HashMap<>();
    for (String fact :
        List.of(
            "firmware",
            "on",
            "cpus",
            "memoryGib",
            "nics.count",
            "devices.disk",
            "devices.nic",
            "disks.count",
            "disks.largestGib",
            "disks.totalGib",
            "disks.shared",
            "disks.tracked",
            "source.kind",
            "source.replicates")) {
      by.put(fact, site.name);
    }
    by.put(
        "os",
        os.isEmpty() || !told.os().isEmpty() || told.guest().toldBy().isEmpty()
            ? site.name
            : told.guest().toldBy());
    by.put("guest.freeMib", told.guest().toldBy().isEmpty() ? site.name : told.guest().toldBy());
    by.put("clock.offSeconds", "its agent");
    by.put("agents", "its packages, read from inside");
    by.put("address.foreignClients", "connections that were seen");
    by.put("address.clients", "connections that were seen");
    String dates = system.map(SystemRow::source).filter(x -> !x.isEmpty()).orElse("");
    by.put("system.ended", dates);
    by.put("system.daysLeft", dates);
    by.put("system.family", "the rules' table of systems");
    return by;
  }

  /** Blocks of ids. */
  static List<List<String>> blocks(List<String> ids, int size) {
    List<List<String>> blocks = new ArrayList<>();
    for (int i = 0; i < ids.size(); i += size) {
      blocks.add(ids.subList(i, Math.min(ids.size(), i + size)));
    }
    return blocks;
  }
}
