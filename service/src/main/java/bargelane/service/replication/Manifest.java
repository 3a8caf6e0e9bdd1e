package bargelane.service.replication;

import bargelane.core.lane.LaneMachine;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Rules;
import bargelane.core.replication.Direction;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.Verification;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.core.wave.ProbePlan;
import bargelane.core.word.Worded;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.platform.Json;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.sites.Target;
import com.fasterxml.jackson.annotation.JsonInclude;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.type.TypeReference;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.dataformat.yaml.YAMLFactory;
import com.fasterxml.jackson.dataformat.yaml.YAMLGenerator;
import com.fasterxml.jackson.dataformat.yaml.YAMLMapper;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Stream;
import org.hibernate.Session;
import org.yaml.snakeyaml.LoaderOptions;

/**
 * The file that lies beside every point: what it is, of what, how it is to be started, and what a
 * service that knows nothing of it needs to take it over. See docs/formats/manifest.md.
 *
 * @param tow id of what was replicated
 * @param epoch under which it was made; whoever takes over acts under a higher one
 * @param sent bytes that its pass sent
 * @param from the site that was read
 * @param to the site where the point is
 */
@JsonInclude(JsonInclude.Include.NON_NULL)
public record Manifest(
    String format,
    String wave,
    String tow,
    int point,
    Leg leg,
    long epoch,
    Instant asOf,
    boolean oneInstant,
    long spreadMs,
    String consistency,
    String pass,
    String kind,
    String verified,
    long sent,
    String from,
    String to,
    Shore home,
    Shore away,
    Lane lane,
    Timetable timetable,
    List<Machine> machines) {

  /** The first line's value. */
  public static final String FORMAT = "bargelane/manifest/5";

  /** The version before, which is read too: it told of no settings. */
  private static final String FORMER = "bargelane/manifest/4";

  /** Most characters of a setting's value. */
  private static final int LONGEST_VALUE = 8_000;

  /** The name of the file. */
  public static final String FILE = "manifest";

  /** Far above any that is reached by counting. */
  private static final long HIGHEST_EPOCH = 1L << 60;

  /** Characters that are read of one: a site may lie beside a point whatever it likes. */
  private static final int LONGEST = Target.LONGEST_ATTACHMENT;

  private static final YAMLMapper YAML =
      new YAMLMapper(
          YAMLFactory.builder()
              .loaderOptions(options())
              .disable(YAMLGenerator.Feature.WRITE_DOC_START_MARKER)
              .enable(YAMLGenerator.Feature.MINIMIZE_QUOTES)
              .enable(YAMLGenerator.Feature.ALWAYS_QUOTE_NUMBERS_AS_STRINGS)
              .disable(YAMLGenerator.Feature.SPLIT_LINES)
              .build());

  private static final TypeReference<List<String>> WORDS = new TypeReference<>() {};

  private static LoaderOptions options() {
    LoaderOptions options = new LoaderOptions();
    options.setCodePointLimit(LONGEST);
    return options;
  }

  /**
   * The stretch of replication that it is a point of.
   *
   * @param marker at the site that was read, what tracks the changes since the point
   */
  public record Leg(String id, int number, String direction, String marker) {

    /** Which way it leads. */
    public Direction way() {
      return Worded.of(Direction.class, direction);
    }
  }

  /**
   * A side of the lane: how it is reached, without secrets, and of its inventory what the lane
   * joins.
   */
  public record Shore(
      String name,
      String kind,
      String address,
      Capabilities capabilities,
      List<Inventory.Network> networks,
      List<Inventory.Storage> storages) {

    /** What kind of site it is. */
    public SiteKind siteKind() {
      return Worded.of(SiteKind.class, kind);
    }
  }

  /** The lane's joins when the point was made. */
  public record Lane(
      String name,
      Map<String, String> networks,
      Map<String, String> storages,
      String zone,
      boolean keepAddresses) {

    /** Its joins. */
    public LanePlan plan() {
      return new LanePlan(networks, storages, zone, keepAddresses);
    }
  }

  /** The timetable, in seconds. */
  public record Timetable(
      String name, int every, int rpo, int keepPoints, boolean verify, boolean quiesce) {}

  /**
   * A machine.
   *
   * @param id of it in its wave
   * @param home where it stands, or can stand, at the lane's start; null for nowhere
   * @param away the same at its end
   * @param labels those that were given by hand
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  public record Machine(
      String id,
      String name,
      int rank,
      String size,
      String sizeBasis,
      Map<String, String> labels,
      MachineFacts facts,
      Berth home,
      Berth away,
      JsonNode probe,
      Refit refit,
      List<Disk> disks,
      List<Setting> settings) {

    /** What holds of it besides the lane's joins, as rules for it alone. */
    public List<Rule> rules(String machine) {
      return settings == null ? List.of() : settings.stream().map(x -> x.rule(machine)).toList();
    }
  }

  /**
   * What was decided of a machine, or of one of its cards and disks.
   *
   * @param scope machine, card or disk
   * @param part the card or disk, from 0; -1 for the machine
   */
  public record Setting(String scope, int part, String setting, String value) {
    private Rule rule(String machine) {
      return new Rule(
          Worded.of(RuleScope.class, scope),
          machine,
          part,
          Worded.of(bargelane.core.lane.Setting.class, setting),
          value);
    }

    /** Whether it can hold of a machine with these facts. */
    private boolean fits(MachineFacts facts) {
      Rule r = rule("");
      int parts =
          switch (r.scope()) {
            case CARD -> facts.nics().size();
            case DISK -> facts.disks().size();
            case MACHINE -> 0;
            default -> -1;
          };
      return parts >= 0
          && (parts == 0 ? part == Rule.WHOLE : part >= 0 && part < parts)
          && r.setting().scopes().contains(r.scope())
          && value != null
          && !value.isEmpty()
          && value.length() <= LONGEST_VALUE;
    }
  }

  /** What was decided and done of a machine's refit. */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  public record Refit(String word, List<String> offers, JsonNode made) {}

  /**
   * A disk.
   *
   * @param disk its place in boot order
   * @param volume frozen in the point
   * @param digests the volume of its digests, frozen in the point
   * @param replica the volume that later passes write, with its digests
   * @param key that these are encrypted with at the target; null where none was chosen
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  public record Disk(
      int disk,
      String volume,
      long bytes,
      String digest,
      String digests,
      String replica,
      String replicaDigests,
      String storage,
      String key) {}

  /**
   * What is told of the point itself.
   *
   * @param pass that it ended; empty where it needed none
   */
  public record Moment(
      int point,
      long epoch,
      Instant asOf,
      boolean oneInstant,
      long spreadMs,
      String consistency,
      String pass,
      Optional<PassKind> kind,
      Verification verified,
      long sent) {}

  /** Both sides of a tow's lane, as they are recorded. */
  public record Shores(Shore home, Shore away, Rules rules) {

    /** Reads them. */
    public static Shores of(Session s, TowState state) {
      Inventories inventories = new Inventories(s);
      LanePlan plan = Json.read(state.lane.plan, LanePlan.class);
      return new Shores(
          shore(inventories, state.home, plan.networks().keySet(), plan.storages().keySet()),
          shore(inventories, state.away, plan.networks().values(), plan.storages().values()),
          new Rules(
              plan, LaneRuleStore.of(s, state.lane.id, state.tow.waveId, state.machineIds())));
    }

    private static Shore shore(
        Inventories inventories,
        SiteEntity site,
        Collection<String> networks,
        Collection<String> storages) {
      return new Shore(
          site.name,
          site.kind.word(),
          site.address,
          site.capabilities == null ? null : Json.read(site.capabilities, Capabilities.class),
          inventories.networks(site, networks),
          inventories.storages(site, storages));
    }
  }

  /** The manifest of a point. */
  public static byte[] of(
      TowState state,
      Shores shores,
      Leg leg,
      Moment moment,
      Function<MemberEntity, List<Disk>> disks) {
    boolean out = leg.way() == Direction.OUT;
    Shore read = out ? shores.home() : shores.away();
    Shore written = out ? shores.away() : shores.home();
    LanePlan plan = Json.read(state.lane.plan, LanePlan.class);
    return new Manifest(
            FORMAT,
            state.tow.name,
            state.tow.id,
            moment.point(),
            leg,
            moment.epoch(),
            moment.asOf(),
            moment.oneInstant(),
            moment.spreadMs(),
            moment.consistency(),
            moment.pass(),
            moment.kind().map(PassKind::word).orElse(""),
            moment.verified().word(),
            moment.sent(),
            read.name(),
            written.name(),
            shores.home(),
            shores.away(),
            new Lane(
                state.lane.name,
                plan.networks(),
                plan.storages(),
                plan.zone(),
                plan.keepAddresses()),
            new Timetable(
                state.timetable.name,
                state.timetable.everySeconds,
                state.timetable.rpoSeconds,
                state.timetable.keepPoints,
                state.timetable.verify,
                state.timetable.quiesce),
            state.members.stream()
                .map(m -> machine(m, state, shores.rules(), disks.apply(m)))
                .toList())
        .file();
  }

  /** The file. */
  public byte[] file() {
    try {
      return YAML.writeValueAsString(Json.MAPPER.<JsonNode>valueToTree(this))
          .getBytes(StandardCharsets.UTF_8);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  private static Machine machine(MemberEntity m, TowState state, Rules rules, List<Disk> disks) {
    MachineFacts all = state.factsOf(m);
    // A disk that is younger than the point which landed is on one side only.
    MachineFacts facts =
        disks.size() < all.disks().size() ? all.with(all.disks().subList(0, disks.size())) : all;
    List<Setting> settings =
        rules
            .alone(
                new LaneMachine(
                    m.machineId,
                    state.tow.waveId,
                    state.allLabels.get(m.machineId),
                    facts,
                    Optional.empty()))
            .stream()
            .map(r -> new Setting(r.scope().word(), r.part(), r.setting().word(), r.value()))
            .toList();
    return new Machine(
        m.id,
        m.name,
        m.rank,
        m.size,
        m.sizeBasis,
        state.labels.get(m.machineId),
        facts,
        TowState.berth(m, Side.HOME).orElse(null),
        TowState.berth(m, Side.AWAY).orElse(null),
        tree(m.probe),
        new Refit(m.refitWord, Json.read(m.refitOffers, WORDS), tree(m.refitMade)),
        disks,
        settings);
  }

  private static JsonNode tree(String json) {
    return json == null ? null : Json.read(json, JsonNode.class);
  }

  /** Why a file is no manifest that can be read. */
  public static final class UnreadableException extends Exception {
    private static final long serialVersionUID = 1;

    public UnreadableException(String why) {
      super(why);
    }
  }

  /**
   * Reads a manifest that anybody may have written.
   *
   * @throws UnreadableException if it is of another version, or lacks something
   */
  public static Manifest read(byte[] file) throws UnreadableException {
    JsonNode tree;
    try {
      tree = YAML.readTree(file);
    } catch (IOException e) {
      throw new UnreadableException("its manifest is no YAML");
    }
    String format = tree == null ? "" : tree.path("format").asText();
    if (!format.equals(FORMAT) && !format.equals(FORMER)) {
      throw new UnreadableException(
          format.startsWith("bargelane/manifest/")
              ? "its manifest is of the format " + format + ", and " + FORMAT + " is needed"
              : "its manifest has no format that is known here");
    }
    try {
      Manifest m = Json.MAPPER.treeToValue(tree, Manifest.class);
      if (!m.whole()) {
        throw new UnreadableException("its manifest lacks something");
      }
      m.home.siteKind();
      m.away.siteKind();
      m.leg.way();
      m.verification();
      for (Machine x : m.machines) {
        Json.MAPPER.treeToValue(x.probe, ProbePlan.class);
      }
      return m;
    } catch (JacksonException | IllegalArgumentException e) {
      throw new UnreadableException("its manifest has a value that can't be");
    }
  }

  /** How it was verified. */
  public Verification verification() {
    return Worded.of(Verification.class, verified);
  }

  private boolean whole() {
    return point > 0
        && epoch >= 0
        && epoch <= HIGHEST_EPOCH
        && machines != null
        && !machines.isEmpty()
        && Stream.of(wave, tow, leg, asOf, consistency, pass, home, away, lane, timetable)
            .allMatch(x -> x != null)
        && named(tow)
        && named(leg.id)
        && leg.direction != null
        && leg.number > 0
        && leg.marker != null
        && Stream.of(home, away)
            .allMatch(
                x ->
                    x.name != null
                        && x.kind != null
                        && x.address != null
                        && x.networks != null
                        && x.storages != null)
        && lane.name != null
        && lane.networks != null
        && lane.storages != null
        && lane.zone != null
        && timetable.name != null
        && machines.stream().allMatch(Manifest::whole)
        && machines.stream().map(Machine::id).distinct().count() == machines.size();
  }

  /** Ids go into names at sites. */
  private static boolean named(String id) {
    return id != null && id.matches("[a-z]{1,8}-[a-z0-9]{1,40}");
  }

  private static boolean whole(Machine m) {
    return named(m.id)
        && m.name != null
        && m.rank >= 1
        && m.rank <= 99
        && m.size != null
        && m.sizeBasis != null
        && m.labels != null
        && m.facts != null
        && m.facts.platformId() != null
        && m.facts.disks() != null
        && m.refit != null
        && m.refit.word != null
        && m.refit.offers != null
        && (m.settings == null || m.settings.stream().allMatch(x -> x.fits(m.facts)))
        && m.disks != null
        && m.disks.size() == m.facts.disks().size()
        && m.disks.stream().map(Disk::disk).distinct().count() == m.disks.size()
        && m.disks.stream()
            .allMatch(
                d ->
                    d.disk >= 0
                        && d.disk < m.disks.size()
                        && d.bytes > 0
                        && Stream.of(
                                d.volume,
                                d.digest,
                                d.digests,
                                d.replica,
                                d.replicaDigests,
                                d.storage)
                            .allMatch(x -> x != null));
  }
}
