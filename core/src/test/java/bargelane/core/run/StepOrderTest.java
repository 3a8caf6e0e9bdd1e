package bargelane.core.run;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.core.run.StepOrder.Recorded;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;

class StepOrderTest {

  private static List<Recorded> recorded(String... steps) {
    return java.util.Arrays.stream(steps)
        .map(s -> new Recorded(s.replace("*", ""), s.endsWith("*")))
        .toList();
  }

  @Test
  void aRunOfAnUnchangedKindKeepsItsSteps() {
    assertEquals(
        List.of("a", "b", "c"), StepOrder.of(recorded("a*", "b", "c"), List.of("a", "b", "c")));
  }

  @Test
  void aStepThatAnUpgradeAddsAheadIsDoneInItsPlace() {
    assertEquals(
        List.of("a", "b", "new", "c"),
        StepOrder.of(recorded("a*", "b*", "c"), List.of("a", "b", "new", "c")));
  }

  @Test
  void aStepAddedBeforeWhatIsDoneIsNotMadeUpForAndNoOtherTakesItsPlace() {
    assertEquals(
        List.of("a", "b", "c"),
        StepOrder.of(recorded("a*", "b*", "c"), List.of("a", "new", "b", "c")));
  }

  @Test
  void aStepThatTheKindNoLongerHasIsLeftOut() {
    assertEquals(List.of("a", "c"), StepOrder.of(recorded("a*", "old", "c"), List.of("a", "c")));
    assertEquals(
        List.of("a", "old", "c"), StepOrder.of(recorded("a*", "old*", "c"), List.of("a", "c")));
  }

  @Test
  void aStepThatWasPromisedIsDoneThoughAnUpgradeMovedItBack() {
    assertEquals(
        List.of("b", "a", "c"), StepOrder.of(recorded("b*", "a", "c"), List.of("a", "b", "c")));
  }

  /** Whatever an upgrade does to the kind: nothing is done twice, and nothing ahead is missed. */
  @Test
  void everyOrderHoldsEachStepOnceAndAllThatIsAhead() {
    Random random = new Random(7);
    for (int round = 0; round < 2000; round++) {
      List<String> names = new ArrayList<>(List.of("a", "b", "c", "d", "e", "f"));
      List<String> kind = new ArrayList<>(names.subList(0, 1 + random.nextInt(6)));
      java.util.Collections.shuffle(names, random);
      List<Recorded> before = new ArrayList<>();
      int done = random.nextInt(4);
      for (int i = 0; i < 4; i++) {
        before.add(new Recorded(names.get(i), i < done));
      }
      List<String> order = StepOrder.of(before, kind);
      assertEquals(order.size(), order.stream().distinct().count());
      assertEquals(
          before.stream().filter(Recorded::done).map(Recorded::name).toList(),
          order.subList(0, done));
      int passed =
          before.stream()
              .filter(Recorded::done)
              .mapToInt(r -> kind.indexOf(r.name()))
              .max()
              .orElse(-1);
      for (int i = passed + 1; i < kind.size(); i++) {
        assertEquals(
            1, java.util.Collections.frequency(order, kind.get(i)), kind + " after " + before);
      }
    }
  }
}
