package bargelane.core.estate;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.estate.EstateMerge.Take;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.SortedMap;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;

class EstateMergeTest {

  private static final int ROUNDS = 3_000;

  private static SortedMap<EstatePath, String> estate(String... pathsAndValues) {
    SortedMap<EstatePath, String> values = new TreeMap<>();
    for (int i = 0; i < pathsAndValues.length; i += 2) {
      values.put(EstatePath.of(pathsAndValues[i].split("/")), pathsAndValues[i + 1]);
    }
    return values;
  }

  /** Some of few things, each with some of few fields of few values: many are alike. */
  private static SortedMap<EstatePath, String> some(Random random) {
    SortedMap<EstatePath, String> values = new TreeMap<>();
    for (String thing : List.of("lanes/a", "lanes/b", "waves/a", "sites/c")) {
      if (random.nextInt(4) > 0) {
        for (String field : List.of("x", "y", "z/p", "z/q")) {
          if (random.nextInt(3) > 0) {
            values.put(
                EstatePath.of((thing + "/" + field).split("/")), String.valueOf(random.nextInt(3)));
          }
        }
      }
    }
    return values;
  }

  private static EstateMerge merge(
      SortedMap<EstatePath, String> base,
      SortedMap<EstatePath, String> service,
      SortedMap<EstatePath, String> file,
      Take take) {
    return EstateMerge.of(base, service, file, take);
  }

  @Test
  void aFileThatWasNotEditedChangesNothingWhateverElseHasChanged() {
    Random random = new Random(1);
    for (int i = 0; i < ROUNDS; i++) {
      SortedMap<EstatePath, String> base = some(random);
      for (Take take : Take.values()) {
        EstateMerge m = merge(base, some(random), base, take);
        assertEquals(List.of(), m.changes());
        assertEquals(List.of(), m.conflicts());
      }
    }
  }

  @Test
  void whereNobodyElseHasChangedAnythingWhatStandsBecomesWhatTheFileHas() {
    Random random = new Random(2);
    for (int i = 0; i < ROUNDS; i++) {
      SortedMap<EstatePath, String> base = some(random);
      SortedMap<EstatePath, String> file = some(random);
      EstateMerge m = merge(base, base, file, Take.NEITHER);
      assertEquals(file, m.into(base));
      assertEquals(List.of(), m.conflicts());
      assertEquals(List.of(), m.kept());
    }
  }

  @Test
  void eachValueIsTheOneThatWasChangedAndTheSideThatIsTakenCountsWhereBothWere() {
    Random random = new Random(3);
    for (int i = 0; i < ROUNDS; i++) {
      SortedMap<EstatePath, String> base = some(random);
      SortedMap<EstatePath, String> service = some(random);
      SortedMap<EstatePath, String> file = some(random);
      SortedMap<EstatePath, String> byFile = merge(base, service, file, Take.FILE).into(service);
      SortedMap<EstatePath, String> byService =
          merge(base, service, file, Take.SERVICE).into(service);
      EstateMerge asked = merge(base, service, file, Take.NEITHER);
      boolean agreed = asked.conflicts().isEmpty();
      if (agreed) {
        assertEquals(byFile, byService);
        assertEquals(byFile, asked.into(service));
      }
      SortedMap<EstatePath, String> all = new TreeMap<>(service);
      all.putAll(file);
      for (EstatePath p : all.keySet()) {
        String is = service.get(p);
        assertTrue(List.of(opt(is), opt(file.get(p))).contains(opt(byFile.get(p))), p.toString());
        boolean both = there(service, p) && there(file, p);
        if (both && !opt(file.get(p)).equals(opt(base.get(p)))) {
          assertEquals(opt(file.get(p)), opt(byFile.get(p)), "the file has changed " + p);
        }
        if (both && !opt(is).equals(opt(base.get(p)))) {
          assertEquals(opt(is), opt(byService.get(p)), "somebody has changed " + p);
        }
      }
    }
  }

  private static Optional<String> opt(String value) {
    return Optional.ofNullable(value);
  }

  private static boolean there(SortedMap<EstatePath, String> values, EstatePath of) {
    return values.keySet().stream().anyMatch(p -> p.thing().equals(of.thing()));
  }

  @Test
  void whoIsImportedOnceChangesNothingTheSecondTime() {
    Random random = new Random(4);
    for (int i = 0; i < ROUNDS; i++) {
      SortedMap<EstatePath, String> service = some(random);
      SortedMap<EstatePath, String> file = some(random);
      SortedMap<EstatePath, String> after =
          merge(some(random), service, file, Take.FILE).into(service);
      // What was imported is what the next import is held against.
      EstateMerge again = merge(file, after, file, Take.NEITHER);
      assertEquals(List.of(), again.changes());
      assertEquals(List.of(), again.conflicts());
    }
  }

  @Test
  void aFileThatGoesBackToNothingOnlyAdds() {
    Random random = new Random(5);
    for (int i = 0; i < ROUNDS; i++) {
      SortedMap<EstatePath, String> service = some(random);
      EstateMerge m = merge(new TreeMap<>(), service, some(random), Take.NEITHER);
      assertTrue(m.changes().stream().allMatch(c -> c.before().isEmpty()));
      assertEquals(
          List.of(),
          m.conflicts().stream().filter(c -> c.service().isEmpty() || c.file().isEmpty()).toList());
    }
  }

  @Test
  void aThingThatOneSideRemovedAndTheOtherChangedIsAConflictAsAWhole() {
    SortedMap<EstatePath, String> base = estate("lanes/a/x", "1", "lanes/a/y", "1");
    SortedMap<EstatePath, String> changed = estate("lanes/a/x", "2", "lanes/a/y", "1");
    SortedMap<EstatePath, String> none = estate();
    assertEquals(
        List.of("lanes/a"),
        merge(base, changed, none, Take.NEITHER).conflicts().stream()
            .map(c -> c.path().toString())
            .toList());
    assertEquals(none, merge(base, changed, none, Take.FILE).into(changed));
    assertEquals(changed, merge(base, changed, none, Take.SERVICE).into(changed));
    assertEquals(changed, merge(base, none, changed, Take.FILE).into(none));
    assertEquals(none, merge(base, none, changed, Take.SERVICE).into(none));
    assertEquals(none, merge(base, base, none, Take.NEITHER).into(base), "nobody changed it");
    assertEquals(
        2, merge(base, none, base, Take.NEITHER).kept().size(), "it is told that it is gone");
  }
}
