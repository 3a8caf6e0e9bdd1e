package bargelane.service;

import bargelane.api.*;
import bargelane.service.account.Accounts;
import bargelane.service.db.Db;
import bargelane.service.event.Events;
import bargelane.service.http.Endpoints;
import bargelane.service.http.HttpApi;
import bargelane.service.http.ProblemException;
import bargelane.service.lane.Lanes;
import bargelane.service.pass.Passes;
import bargelane.service.pass.Tugs;
import bargelane.service.run.Runs;
import bargelane.service.wave.WaveViews;
import bargelane.service.wave.Waves;
import io.javalin.http.Cookie;
import io.javalin.http.SameSite;
import java.time.Clock;
import java.util.Optional;

/** All endpoints, by subject. */
record Api(
    Db db,
    Clock clock,
    Accounts accounts,
    DiscoveryApi discovery,
    AssessingApi assessing,
    Lanes lanes,
    Waves waves,
    WaveViews views,
    Runs runs,
    Passes passes,
    Tugs tugs,
    Events events) {

  Endpoints endpoints() {
    Endpoints e = new Endpoints();
    access(e);
    discovery.add(e);
    assessing.add(e);
    planning(e);
    work(e);
    leases(e);
    return e;
  }

  private void access(Endpoints e) {
    e.open(
        "GET",
        "/health",
        200,
        "Whether the service works",
        Void.class,
        Health.class,
        r ->
            new Health(
                "up",
                "0.1.0",
                clock.instant(),
                db.tx(
                    s ->
                        s.createNativeQuery(
                                "select current_setting('server_version')", String.class)
                            .getSingleResult())));
    e.open(
        "POST",
        "/sign-in",
        200,
        "Sign in to the console",
        SignIn.class,
        SignedIn.class,
        r -> {
          SignIn in = r.body(SignIn.class);
          Accounts.Session session =
              accounts.signIn(String.valueOf(in.account()), String.valueOf(in.password()));
          Cookie cookie = new Cookie(HttpApi.COOKIE, session.secret());
          cookie.setHttpOnly(true);
          cookie.setSameSite(SameSite.STRICT);
          cookie.setPath("/");
          r.ctx().cookie(cookie);
          return new SignedIn(in.account(), session.csrf());
        });
    e.add(
        "POST",
        "/sign-out",
        204,
        "End the console's session",
        Void.class,
        Void.class,
        false,
        r -> {
          Optional.ofNullable(r.ctx().cookie(HttpApi.COOKIE)).ifPresent(accounts::signOut);
          r.ctx().removeCookie(HttpApi.COOKIE);
          return null;
        });
    e.add(
        "GET",
        "/me",
        200,
        "Who is signed in",
        Void.class,
        SignedIn.class,
        false,
        r -> new SignedIn(r.caller().account(), r.caller().csrf()));
  }

  private void planning(Endpoints e) {
    e.add("GET", "/lanes", 200, "List lanes", Void.class, LaneView.class, true, r -> lanes.list());
    e.add(
        "POST",
        "/lanes",
        201,
        "Add a lane",
        LaneAdd.class,
        LaneView.class,
        false,
        r -> tagged(r, lanes.add(r.body(LaneAdd.class))));
    e.add(
        "GET",
        "/lanes/{lane}",
        200,
        "One lane, with what it lacks",
        Void.class,
        LaneView.class,
        false,
        r -> tagged(r, lanes.view(r.path("lane"))));
    e.add(
        "PUT",
        "/lanes/{lane}",
        200,
        "Change a lane's joins",
        LaneAdd.class,
        LaneView.class,
        false,
        r -> tagged(r, lanes.edit(r.path("lane"), r.body(LaneAdd.class), revision(r))));
    e.add(
        "DELETE",
        "/lanes/{lane}",
        204,
        "Remove a lane",
        Void.class,
        Void.class,
        false,
        r -> {
          lanes.remove(r.path("lane"));
          return null;
        });
    e.add(
        "GET",
        "/timetables",
        200,
        "List timetables",
        Void.class,
        TimetableView.class,
        true,
        r -> waves.timetables());
    e.add(
        "POST",
        "/timetables",
        201,
        "Add a timetable",
        TimetableAdd.class,
        TimetableView.class,
        false,
        r -> waves.addTimetable(r.body(TimetableAdd.class)));
    e.add(
        "GET",
        "/overview",
        200,
        "What needs the engineer now",
        Void.class,
        Overview.class,
        false,
        r -> views.overview());
    e.add("GET", "/waves", 200, "List waves", Void.class, WaveCard.class, true, r -> views.cards());
    e.add(
        "POST",
        "/waves",
        201,
        "Plan a wave",
        WaveAdd.class,
        WaveView.class,
        false,
        r -> views.wave(waves.add(r.body(WaveAdd.class))));
    e.add(
        "GET",
        "/waves/{wave}",
        200,
        "One wave",
        Void.class,
        WaveView.class,
        false,
        r -> views.wave(r.path("wave")));
    e.add(
        "DELETE",
        "/waves/{wave}",
        204,
        "Remove a wave that was never loaded",
        Void.class,
        Void.class,
        false,
        r -> {
          waves.remove(r.path("wave"));
          return null;
        });
    e.add(
        "PUT",
        "/waves/{wave}/size",
        200,
        "Choose a machine's size",
        SizeChoice.class,
        WaveView.class,
        false,
        r -> {
          waves.size(r.path("wave"), r.body(SizeChoice.class), r.caller().account());
          return views.wave(r.path("wave"));
        });
    e.add(
        "GET",
        "/waves/{wave}/points",
        200,
        "Recovery points",
        Void.class,
        PointView.class,
        true,
        r -> views.points(r.path("wave")));
    e.add(
        "GET",
        "/waves/{wave}/passes",
        200,
        "Passes, newest first",
        Void.class,
        PassView.class,
        true,
        r -> views.passes(r.path("wave"), r.number("size", 40)));
  }

  private static LaneView tagged(Endpoints.Request r, LaneView lane) {
    r.ctx().header("ETag", "\"" + lane.revision() + "\"");
    return lane;
  }

  private static Optional<Long> revision(Endpoints.Request r) {
    String tag = r.ctx().header("If-Match");
    if (tag == null) {
      return Optional.empty();
    }
    String number = tag.replace("\"", "");
    if (!number.matches("[0-9]{1,18}")) {
      throw new ProblemException(
          400,
          "etag-malformed",
          "If-Match must be the ETag that was read, not " + tag,
          "read the lane again");
    }
    return Optional.of(Long.parseLong(number));
  }

  private void work(Endpoints e) {
    e.add(
        "POST",
        "/waves/{wave}/load",
        202,
        "Begin replication",
        Void.class,
        RunView.class,
        false,
        r -> waves.load(r.path("wave"), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/test",
        202,
        "Test cutover in isolation",
        TestRequest.class,
        RunView.class,
        false,
        r -> waves.test(r.path("wave"), r.body(TestRequest.class), r.caller().account()));
    e.add(
        "GET",
        "/waves/{wave}/refit",
        200,
        "What the guests need changed at the other side",
        Void.class,
        RefitView.class,
        true,
        r -> waves.refits(r.path("wave")));
    e.add(
        "POST",
        "/waves/{wave}/refit",
        202,
        "Look into the guests for what a refit would change",
        Void.class,
        RunView.class,
        false,
        r -> waves.refit(r.path("wave"), r.caller().account()));
    e.add(
        "PUT",
        "/waves/{wave}/refit",
        200,
        "Say that a machine may move though its guest can't be refitted",
        RefitWord.class,
        RefitView.class,
        true,
        r -> waves.refitWord(r.path("wave"), r.body(RefitWord.class), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/cutover",
        202,
        "Cutover",
        CutoverRequest.class,
        RunView.class,
        false,
        r -> waves.cutover(r.path("wave"), r.body(CutoverRequest.class), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/failback",
        202,
        "Failback",
        CutoverRequest.class,
        RunView.class,
        false,
        r -> waves.failback(r.path("wave"), r.body(CutoverRequest.class), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/failover",
        202,
        "Failover",
        FailoverRequest.class,
        RunView.class,
        false,
        r -> waves.failover(r.path("wave"), r.body(FailoverRequest.class), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/reconcile",
        202,
        "Measure how two sides diverged, and keep one",
        ReconcileRequest.class,
        RunView.class,
        false,
        r -> waves.reconcile(r.path("wave"), r.body(ReconcileRequest.class), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/undo",
        202,
        "Take the last move back",
        ConfirmRequest.class,
        RunView.class,
        false,
        r -> waves.undo(r.path("wave"), r.body(ConfirmRequest.class), r.caller().account()));
    e.add(
        "POST",
        "/waves/{wave}/settle",
        202,
        "Close the move",
        ConfirmRequest.class,
        RunView.class,
        false,
        r -> waves.settle(r.path("wave"), r.body(ConfirmRequest.class), r.caller().account()));
    e.add(
        "GET",
        "/runs",
        200,
        "Runs, newest first",
        Void.class,
        RunView.class,
        true,
        r ->
            runs.list(
                "",
                r.query("open").equals("true"),
                r.query("passes").equals("true"),
                r.number("size", 50)));
    e.add(
        "GET",
        "/runs/{run}",
        200,
        "One run with its steps",
        Void.class,
        RunView.class,
        false,
        r -> runs.view(r.path("run")));
    e.add(
        "POST",
        "/runs/{run}/finish",
        204,
        "End a test that is held",
        Void.class,
        Void.class,
        false,
        r -> {
          waves.finish(r.path("run"));
          return null;
        });
    e.add(
        "GET",
        "/dossiers",
        200,
        "Records of finished moves",
        Void.class,
        DossierView.class,
        true,
        r -> views.dossiers(r.query("wave")));
    e.add(
        "GET",
        "/events",
        200,
        "Events after a number, oldest first",
        Void.class,
        EventView.class,
        true,
        r -> events.after(r.number("after", 0), r.number("size", 200)));
  }

  private void leases(Endpoints e) {
    e.add(
        "GET",
        "/tugs",
        200,
        "Tugs that ask for work",
        Void.class,
        TugView.class,
        true,
        r -> tugs.list());
    e.add(
        "POST",
        "/leases",
        200,
        "A tug asks for work",
        LeaseTake.class,
        Lease.class,
        false,
        r -> {
          LeaseTake take = r.body(LeaseTake.class);
          tugs.asks(String.valueOf(take.tug()), take.version());
          return passes
              .take(String.valueOf(take.tug()), take.waitSeconds() == null ? 0 : take.waitSeconds())
              .orElse(null);
        });
    e.add(
        "POST",
        "/leases/{pass}/report",
        204,
        "A tug tells progress",
        LeaseReport.class,
        Void.class,
        false,
        r -> {
          passes.report(r.path("pass"), r.body(LeaseReport.class));
          return null;
        });
    e.add(
        "POST",
        "/leases/{pass}/intent",
        204,
        "A tug tells what it may write",
        LeaseIntent.class,
        Void.class,
        false,
        r -> {
          passes.intent(r.path("pass"), r.body(LeaseIntent.class));
          return null;
        });
    e.add(
        "GET",
        "/leases/{pass}/disks/{disk}/digests",
        200,
        "The digest map that a disk's pass begins with",
        Void.class,
        byte[].class,
        false,
        r -> passes.digests(r.path("pass"), disk(r)).orElse(null));
    e.add(
        "PUT",
        "/leases/{pass}/disks/{disk}/digests",
        204,
        "The digest map that a disk's pass ends with",
        byte[].class,
        Void.class,
        false,
        r -> {
          passes.putDigests(r.path("pass"), r.number("epoch", -1), disk(r), r.body());
          return null;
        });
    e.add(
        "POST",
        "/leases/{pass}/done",
        204,
        "A tug has finished a disk",
        LeaseDone.class,
        Void.class,
        false,
        r -> {
          passes.done(r.path("pass"), r.body(LeaseDone.class));
          return null;
        });
    e.add(
        "POST",
        "/leases/{pass}/failed",
        204,
        "A tug gives a lease up",
        LeaseFailed.class,
        Void.class,
        false,
        r -> {
          passes.failed(r.path("pass"), r.body(LeaseFailed.class));
          return null;
        });
  }

  private static int disk(Endpoints.Request r) {
    String text = r.path("disk");
    if (!text.matches("[0-9]{1,4}")) {
      throw new ProblemException(
          400,
          "number-malformed",
          "'" + text + "' is not the index of a disk",
          "give the lease's index");
    }
    return Integer.parseInt(text);
  }
}
