package bargelane.service.approval;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.ApprovalAnswer;
import bargelane.api.ApprovalAsk;
import bargelane.api.ApprovalView;
import bargelane.service.assess.SizeChoices;
import bargelane.service.move.MovesFixture;
import bargelane.service.plan.WaveSizes;
import bargelane.service.plan.Waves;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowEntity;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Approvals of one wave of one machine, in a real database. */
class ApprovalsTest extends MovesFixture {

  private Approvals approvals;

  @BeforeEach
  void desk() {
    approvals =
        new Approvals(
            services,
            new Waves(
                services,
                new SizeChoices(db, new WaveSizes(), services.events(), services.clock())));
  }

  private ApprovalView ask() {
    return approvals.ask("w", new ApprovalAsk("cutover", " tonight "), "mo");
  }

  private static String code(Runnable call) {
    return assertThrows(ProblemException.class, call::run).code();
  }

  private void rank(int rank) {
    db.run(s -> s.find(MemberEntity.class, "mem").rank = rank);
  }

  @Test
  void whatIsAskedForIsAnsweredByAnother() {
    ApprovalView asked = ask();
    assertEquals("open", asked.state());
    assertEquals("tonight", asked.note());
    assertEquals(List.of("ledger (rank 1)"), asked.machines());
    assertEquals(List.of(asked), approvals.list("w", Optional.empty(), true));
    assertEquals(
        "approval-own",
        code(() -> approvals.answer(asked.id(), new ApprovalAnswer(true, ""), "mo")));
    ApprovalView done = approvals.answer(asked.id(), new ApprovalAnswer(true, ""), "ann");
    assertEquals("approved", done.state());
    assertEquals("ann", done.answeredBy());
    assertEquals(now, done.answeredAt());
    assertEquals(List.of(), approvals.list("w", Optional.empty(), true));
    assertEquals(List.of(done), approvals.list("", Optional.empty(), false));
    assertEquals(
        "approval-answered",
        code(() -> approvals.answer(asked.id(), new ApprovalAnswer(false, "no"), "bo")));
  }

  @Test
  void anApprovalLapsesWhenThePlanChangesAndHoldsAgainWhenItIsAsItWas() {
    ApprovalView asked = ask();
    rank(3);
    assertEquals(List.of("ledger: rank 1 to 3"), approvals.show(asked.id()).changed());
    assertEquals("lapsed", approvals.show(asked.id()).state());
    assertEquals(
        "approval-lapsed",
        code(() -> approvals.answer(asked.id(), new ApprovalAnswer(true, ""), "ann")));
    rank(1);
    approvals.answer(asked.id(), new ApprovalAnswer(true, ""), "ann");
    rank(2);
    assertEquals("lapsed", approvals.show(asked.id()).state(), "also one that was given");
    assertEquals("ann", approvals.show(asked.id()).answeredBy());
  }

  @Test
  void oneThatLapsedMakesRoomForTheNext() {
    ApprovalView first = ask();
    assertEquals("approval-open", code(this::ask));
    rank(3);
    ApprovalView second = ask();
    assertEquals("lapsed", approvals.show(first.id()).state());
    assertNull(approvals.show(first.id()).answeredBy());
    assertEquals(List.of(second), approvals.list("w", Optional.empty(), true));
  }

  @Test
  void aRefusalHasAReasonAndWhoAskedMayTakeItBack() {
    ApprovalView asked = ask();
    assertEquals(
        "reason-missing",
        code(() -> approvals.answer(asked.id(), new ApprovalAnswer(false, " "), "ann")));
    assertEquals(
        "field-missing",
        code(() -> approvals.answer(asked.id(), new ApprovalAnswer(null, "x"), "ann")));
    assertEquals("approval-of-another", code(() -> approvals.withdraw(asked.id(), "ann")));
    assertEquals("withdrawn", approvals.withdraw(asked.id(), "mo").state());
    ApprovalView again = ask();
    assertEquals(
        "declined",
        approvals.answer(again.id(), new ApprovalAnswer(false, "no night shift"), "ann").state());
    assertEquals("approval-unknown", code(() -> approvals.show("app-none")));
  }

  @Test
  void nonsenseIsRefused() {
    for (String verb : new String[] {null, "", "load", "CUTOVER", "sell"}) {
      assertEquals("verb-unknown", code(() -> approvals.ask("w", new ApprovalAsk(verb, ""), "mo")));
    }
    assertEquals(
        "note-too-long",
        code(() -> approvals.ask("w", new ApprovalAsk("cutover", "x".repeat(2001)), "mo")));
    assertEquals(
        "not-landed", code(() -> approvals.ask("w", new ApprovalAsk("failback", null), "mo")));
    assertEquals(
        "wave-unknown", code(() -> approvals.ask("none", new ApprovalAsk("cutover", ""), "mo")));
  }

  @Test
  void theRecordOutlivesItsWave() {
    ApprovalView asked = ask();
    db.run(s -> s.find(TowEntity.class, "tow").settledAt = now);
    assertEquals(List.of("the wave is settled or removed"), approvals.show(asked.id()).changed());
    assertEquals(List.of(), approvals.list("", Optional.empty(), true));
    assertEquals("w", approvals.list("", Optional.empty(), false).get(0).wave());
  }

  @Test
  void ofTwoWhoAskOrAnswerAtOnceOneDoes() throws Exception {
    assertEquals(1, once(this::ask));
    String id = approvals.list("w", Optional.empty(), true).get(0).id();
    assertEquals(
        1,
        once(() -> approvals.answer(id, new ApprovalAnswer(true, ""), "ann")),
        "an answer is given once");
  }

  private static int once(java.util.function.Supplier<ApprovalView> call) throws Exception {
    List<CompletableFuture<ApprovalView>> two =
        List.of(CompletableFuture.supplyAsync(call), CompletableFuture.supplyAsync(call));
    int done = 0;
    for (CompletableFuture<ApprovalView> one : two) {
      try {
        one.get();
        done++;
      } catch (ExecutionException e) {
        assertTrue(e.getCause() instanceof ProblemException, e.toString());
      }
    }
    return done;
  }
}
