package bargelane.service.move;

import bargelane.blocks.refit.FileEdit;
import bargelane.core.lane.CarriedDisk;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.wave.ProbePlan;
import bargelane.core.wave.Proof;
import bargelane.service.replication.Berth;
import bargelane.service.replication.Side;
import bargelane.service.run.Note;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Instant;
import java.util.List;
import java.util.Map;

/** What moves remember; each note is read by those that go on with a move, and by its undo. */
final class MoveNotes {

  /** The leg that a move began on. */
  static final Note<String> LEG = Note.of("leg", String.class);

  /** The leg that it turned replication round to. */
  static final Note<String> NEXT_LEG = Note.of("nextLeg", String.class);

  /** The side that wins a failover. */
  static final Note<Side> WINNER = Note.of("winner", Side.class);

  /** The side that a test or a look into guests works at. */
  static final Note<Side> SIDE = Note.of("side", Side.class);

  /** The run that looks into the guests before anything is stopped. */
  static final Note<String> LOOK = Note.of("look", String.class);

  /** When the first machine was told to stop. */
  static final Note<Instant> STOPPED_AT = Note.of("stoppedAt", Instant.class);

  /** Members that were to stop, noted before they are asked to. */
  static final Note<Map<String, Boolean>> STOPPED = Note.each("stopped", Boolean.class);

  /** When the last machine answered. */
  static final Note<Instant> UP_AT = Note.of("upAt", Instant.class);

  static final Note<Boolean> LANDED = Note.of("landed", Boolean.class);

  /** Whether the machines of a source that was failed over from were seen to stop. */
  static final Note<Boolean> SOURCE_FENCED = Note.of("sourceFenced", Boolean.class);

  static final Note<Double> EXPOSURE_SECONDS = Note.of("exposureSeconds", Double.class);

  /** Ids at the site of the machines that were started, by member. */
  static final Note<Map<String, String>> MACHINES = Note.each("machines", String.class);

  /** What machines are called at the side where they are made, by member. */
  static final Note<Map<String, String>> CALLED = Note.each("called", String.class);

  /** Where members stood at a side before, by member. */
  static final Note<Map<String, Berth>> PREVIOUS =
      Note.eachAsText("previous", new TypeReference<>() {});

  /** What machines had attached before, in their order, by member. */
  static final Note<Map<String, List<String>>> ORDER =
      Note.eachAsText("order", new TypeReference<>() {});

  /** Sides of volumes that were taken off a machine, by volume. */
  static final Note<Map<String, Side>> SET_ASIDE = Note.each("setAside", Side.class);

  /** Whether a member's machine ran when the run stopped it. */
  static final Note<Map<String, Boolean>> RAN = Note.each("ran", Boolean.class);

  /** Whether a member's machine is kept off when it has landed. */
  static final Note<Map<String, Boolean>> KEPT_OFF = Note.each("keptOff", Boolean.class);

  /** What a member's machine is to let in at a target that filters. */
  static final Note<Map<String, List<Ingress>>> RULES =
      Note.eachAsText("rules", new TypeReference<>() {});

  /** What a machine that stands at the target let in before the run changed it. */
  static final Note<Map<String, List<Ingress>>> RULES_BEFORE =
      Note.eachAsText("rulesBefore", new TypeReference<>() {});

  /** Who was tried to get through to a member's machine, each with how it went. */
  static final Note<Map<String, List<String>>> LET_IN =
      Note.eachAsText("letIn", new TypeReference<>() {});

  /** Disks that a storage system carries to where the run starts machines, by member. */
  static final Note<Map<String, List<CarriedDisk>>> CARRIED =
      Note.eachAsText("carried", new TypeReference<>() {});

  /** The instant that each of them was of when the machines were given it, by its volume. */
  static final Note<Map<String, Instant>> ARRIVED = Note.each("arrived", Instant.class);

  /** When the machines were known to be off, and their last changes shipped. */
  static final Note<Instant> OFF_AT = Note.of("offAt", Instant.class);

  /** Isolated networks by the subnet that they stand for. */
  static final Note<Map<String, String>> NETWORKS = Note.each("networks", String.class);

  /** What was changed in guests, by member. */
  static final Note<Map<String, List<FileEdit>>> REFITS =
      Note.eachAsText("refits", new TypeReference<>() {});

  /** What a test tries, by member, as it was planned when the test began. */
  static final Note<Map<String, Proof>> TRIED = Note.each("tried", Proof.class);

  /** What a machine answered to, by member. */
  static final Note<Map<String, ProbePlan>> ANSWERED = Note.each("answered", ProbePlan.class);

  /** The pass that compares a test's clones, the bytes it compared, and those that differ. */
  static final Note<String> TALLY = Note.of("tally", String.class);

  static final Note<Long> TALLIED = Note.of("tallied", Long.class);
  static final Note<Long> TALLY_DIFFERS = Note.of("tallyDiffers", Long.class);

  /** The run whose landing is taken back. */
  static final Note<String> LANDING = Note.of("landing", String.class);

  /** The side that came back after a failover. */
  static final Note<Side> RETURNED = Note.of("returned", Side.class);

  /** Whether the side that is kept runs, and it alone. */
  static final Note<Boolean> CHOSEN = Note.of("chosen", Boolean.class);

  /** For how long both sides may have run. */
  static final Note<Double> OVERLAP_SECONDS = Note.of("overlapSeconds", Double.class);

  /** The first point of the side that was kept, and what crossed for it. */
  static final Note<String> FIRST_POINT = Note.of("firstPoint", String.class);

  static final Note<Long> FIRST_SENT = Note.of("firstSent", Long.class);

  /** When a rank's first machine was told to start. */
  static Note<Instant> rank(int rank) {
    return Note.of("rank-" + rank, Instant.class);
  }

  /** The run of a pass that a move makes, {@code near} or {@code last}. */
  static Note<String> pass(String key) {
    return Note.of(key, String.class);
  }

  /** The pass that tallies a side against the common point, {@code back} or {@code running}. */
  static Note<String> tally(String key) {
    return Note.of("survey-" + key, String.class);
  }

  /** Edits of a member's guest that a yard is asked for, as JSON; none left once it made them. */
  static Note<String> edits(String member) {
    return Note.of("refit-" + member, String.class);
  }

  private MoveNotes() {}
}
