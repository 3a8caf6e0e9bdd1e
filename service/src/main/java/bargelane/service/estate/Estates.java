package bargelane.service.estate;

import bargelane.api.EstateExport;
import bargelane.api.EstateExportAsk;
import bargelane.api.EstateImport;
import bargelane.api.EstateResult;
import bargelane.api.EstateResult.EstateChange;
import bargelane.api.EstateResult.EstateConflict;
import bargelane.api.EstateResult.EstateProblem;
import bargelane.core.estate.EstateMerge;
import bargelane.core.estate.EstateMerge.Take;
import bargelane.core.estate.EstatePath;
import bargelane.core.estate.Section;
import bargelane.core.finding.Remedy;
import bargelane.service.event.Events;
import bargelane.service.machine.LabelRules;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Remedies;
import bargelane.text.Counts;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import org.hibernate.Session;
import org.jspecify.annotations.Nullable;

/**
 * Estate files: what an installation is set up with, written to one file and taken from one. A file
 * is held against what stands and against what both were last the same in, so that what somebody
 * else has changed meanwhile is neither lost nor passed over. A comparison makes the import and
 * undoes it: what it tells is what an import comes to.
 */
public final class Estates {

  private static final int MOST_PROBLEMS = 1_000;

  /** Sites, timetables, labels, lanes and waves that one import changes. */
  private static final int MOST_THINGS = 2_000;

  private final Db db;
  private final EstateRooms rooms;
  private final Events events;
  private final Clock clock;

  public Estates(Db db, EstateRooms rooms, Events events, Clock clock) {
    this.db = db;
    this.rooms = rooms;
    this.events = events;
    this.clock = clock;
  }

  /** Writes what stands as a file, and keeps what it was written from. */
  public EstateExport export(EstateExportAsk asked, String by) {
    Set<Section> only = sections(asked.only());
    return db.tx(
        s -> {
          SortedMap<EstatePath, String> values = only(only, EstateState.of(s).values);
          String base = EstateBases.keep(s, values, by, clock.instant());
          return new EstateExport(base, EstateFields.write(base, values));
        });
  }

  /** What an import of a file would come to. */
  public EstateResult compare(EstateImport asked, String by) {
    return take(asked, by, false);
  }

  /** Takes a file over, whole or not at all. */
  public EstateResult take(EstateImport asked, String by) {
    return take(asked, by, true);
  }

  private static Set<Section> sections(List<String> only) {
    if (only == null || only.isEmpty()) {
      return EnumSet.allOf(Section.class);
    }
    Set<Section> sections = EnumSet.noneOf(Section.class);
    for (String word : only) {
      sections.add(
          Section.of(word == null ? "" : word)
              .orElseThrow(
                  () ->
                      ProblemException.invalid(
                          "section-unknown",
                          "'" + word + "' is not a section of an estate file",
                          "give some of " + String.join(", ", Section.words()))));
    }
    return sections;
  }

  private static Take take(String word) {
    return word == null || word.isBlank()
        ? Take.NEITHER
        : Arrays.stream(Take.values())
            .filter(t -> t.word().equals(word))
            .findFirst()
            .orElseThrow(
                () ->
                    ProblemException.invalid(
                        "take-unknown",
                        "'" + word + "' is not whose change counts",
                        "give file or service, or leave it out"));
  }

  private static SortedMap<EstatePath, String> only(
      Set<Section> sections, SortedMap<EstatePath, String> values) {
    SortedMap<EstatePath, String> some = new TreeMap<>(values);
    some.keySet().removeIf(path -> Section.of(path.section()).filter(sections::contains).isEmpty());
    return some;
  }

  /** Undoes the transaction that it leaves. */
  private static final class Undone extends RuntimeException {
    private static final long serialVersionUID = 1;
    private final transient EstateResult result;

    Undone(EstateResult result) {
      super("nothing is to be stored", null, false, false);
      this.result = result;
    }
  }

  private EstateResult take(EstateImport asked, String by, boolean store) {
    Set<Section> only = sections(asked.only());
    Take take = take(asked.take());
    EstateYaml.Read file = EstateYaml.read(asked.yaml());
    // What a file says nothing of is not touched.
    only.removeIf(section -> !file.has(section));
    if (!file.wrong().isEmpty()) {
      return new EstateResult(
          false,
          "",
          file.base(),
          false,
          List.of(),
          List.of(),
          List.of(),
          file.wrong().stream()
              .map(
                  w ->
                      new EstateProblem(
                          w.at().line(),
                          w.at().column(),
                          w.cause(),
                          Remedies.view(Remedy.advice(w.advice()))))
              .toList());
    }
    List<String> scheduled = new ArrayList<>();
    EstateResult result;
    try {
      result =
          db.tx(s -> take(s, new Asked(file, only, take, asked.state(), store, by), scheduled));
    } catch (Undone e) {
      return e.result;
    }
    scheduled.forEach(rooms.schedules()::keepTo);
    return result;
  }

  private record Asked(
      EstateYaml.Read file, Set<Section> only, Take take, String state, boolean store, String by) {}

  private EstateResult take(Session s, Asked asked, List<String> scheduled) {
    hold(s);
    EstateYaml.Read file = asked.file;
    EstateState state = EstateState.of(s);
    String compared = digest(state.values);
    if (asked.state != null && !asked.state.isBlank() && !asked.state.equals(compared)) {
      throw new ProblemException(
          412,
          "changed-meanwhile",
          "what is set up has changed since the file was compared",
          "compare the file again");
    }
    SortedMap<EstatePath, String> told = state.likeThis(only(asked.only, file.values()));
    Optional<SortedMap<EstatePath, String>> known = EstateBases.read(s, file.base());
    EstateMerge merge =
        EstateMerge.of(
            only(asked.only, known.orElseGet(TreeMap::new)),
            only(asked.only, state.values),
            told,
            asked.take);
    long things = merge.changes().stream().map(c -> c.path().thing()).distinct().count();
    if (things > MOST_THINGS) {
      throw ProblemException.invalid(
          "changes-too-many",
          "the file changes "
              + things
              + " things at once, and at most "
              + MOST_THINGS
              + " are allowed",
          "import it in parts, as with --only");
    }
    List<EstateProblem> problems = new ArrayList<>();
    if (merge.conflicts().isEmpty()) {
      EstateChanges changes =
          new EstateChanges(
              rooms,
              s,
              state,
              merge,
              asked.by,
              (path, e) -> {
                if (problems.size() < MOST_PROBLEMS) {
                  EstateYaml.Place at = file.place(path);
                  problems.add(
                      new EstateProblem(
                          at.line(),
                          at.column(),
                          path + ": " + e.getMessage(),
                          Remedies.view(e.remedy())));
                }
              });
      changes.make();
      scheduled.addAll(changes.scheduled);
    }
    boolean done = asked.store && problems.isEmpty() && merge.conflicts().isEmpty();
    String base = known.isPresent() ? file.base() : "";
    if (done) {
      SortedMap<EstatePath, String> same = new TreeMap<>(known.orElseGet(TreeMap::new));
      same.keySet().removeIf(p -> asked.only.contains(Section.of(p.section()).orElseThrow()));
      same.putAll(told);
      if (known.isPresent()) {
        EstateBases.change(s, base, same);
      } else {
        base = EstateBases.keep(s, same, asked.by, clock.instant());
      }
      if (!merge.changes().isEmpty()) {
        events.tell(
            s,
            "site",
            "",
            "",
            asked.by + " imported an estate file: " + Counts.of(merge.changes().size(), "change"),
            null);
      }
    }
    EstateResult result =
        new EstateResult(
            done,
            compared,
            base,
            known.isPresent(),
            views(file, merge.changes()),
            views(file, merge.kept()),
            merge.conflicts().stream()
                .map(
                    c ->
                        new EstateConflict(
                            c.path().toString(),
                            c.path().steps().size() == 2,
                            shown(c.path(), c.base()),
                            shown(c.path(), c.service()),
                            shown(c.path(), c.file()),
                            file.place(c.path()).line()))
                .toList(),
            problems);
    if (!done) {
      throw new Undone(result);
    }
    return result;
  }

  private static @Nullable String shown(EstatePath path, Optional<String> value) {
    return value.map(v -> path.steps().size() == 2 ? v : EstateFields.shown(path, v)).orElse(null);
  }

  private static List<EstateChange> views(EstateYaml.Read file, List<EstateMerge.Change> changes) {
    return changes.stream()
        .map(
            c ->
                new EstateChange(
                    c.path().toString(),
                    shown(c.path(), c.before()),
                    shown(c.path(), c.after()),
                    file.place(c.path()).line()))
        .toList();
  }

  /** Lets nobody change what there is until this is over; one import is made at a time. */
  private static void hold(Session s) {
    Db.lock(s, "estate");
    LabelRules.lock(s);
    // A wave is held when it is changed: passes are not to wait for a comparison.
    for (String table : List.of("site", "timetable", "label_rule", "lane")) {
      s.createNativeQuery("select id from " + table + " order by id for update", String.class)
          .getResultList();
    }
  }

  private static String digest(SortedMap<EstatePath, String> values) {
    try {
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      values.forEach(
          (path, value) -> {
            path.steps().forEach(step -> add(sha, step));
            add(sha, "=" + value);
          });
      return HexFormat.of().formatHex(sha.digest()).substring(0, 32);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  private static void add(MessageDigest sha, String text) {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    sha.update(
        new byte[] {(byte) (bytes.length >> 16), (byte) (bytes.length >> 8), (byte) bytes.length});
    sha.update(bytes);
  }
}
