package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.api.LeaseTake;
import bargelane.api.TimetableAdd;
import bargelane.api.TimetableEdit;
import bargelane.api.TimetableView;
import bargelane.api.TugView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Request;
import bargelane.service.platform.ProblemException;
import org.jspecify.annotations.Nullable;

/** Endpoints of timetables, and those that tugs call. */
public record ReplicationApi(Timetables timetables, Leases leases, Tugs tugs)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/timetables", "List timetables", Need.READ)
        .lists(TimetableView.class, r -> timetables.list());
    e.post("/timetables", "Add a timetable", Need.PLAN, Need.MOVE)
        .takes(TimetableAdd.class)
        .creates(TimetableView.class, (r, b) -> timetables.add(b));
    e.put(
            "/timetables/{timetable}",
            "Change a timetable; what is left out stays",
            Need.PLAN,
            Need.MOVE)
        .changes(r -> timetables.view(r.path("timetable")))
        .takes(TimetableEdit.class)
        .gives(TimetableView.class, (r, b) -> timetables.edit(r.path("timetable"), b));
    e.delete(
            "/timetables/{timetable}",
            "Remove a timetable that no wave keeps to",
            Need.PLAN,
            Need.MOVE)
        .changes(r -> timetables.view(r.path("timetable")))
        .does(r -> timetables.remove(r.path("timetable")));
    e.get("/tugs", "Tugs that ask for work", Need.READ).lists(TugView.class, r -> tugs.list());
    e.post("/leases", "A tug asks for work", Need.CARRY, Need.KEEP)
        .takes(LeaseTake.class)
        .maybe(
            Lease.class,
            (r, b) -> {
              String tug = String.valueOf(b.tug());
              r.caller()
                  .tug()
                  .filter(own -> !own.equals(tug))
                  .ifPresent(
                      own -> {
                        throw new ProblemException(
                            403,
                            "tug-of-another",
                            "this token is that of the tug " + own + ", not of " + tug,
                            "start the tug by the name that its token was made for");
                      });
              tugs.asks(tug, b.version());
              return leases.take(
                  tug, reader(b.certificate()), b.waitSeconds() == null ? 0 : b.waitSeconds());
            });
    e.post("/leases/{pass}/report", "A tug reports progress", Need.CARRY, Need.KEEP)
        .takes(LeaseReport.class)
        .does((r, b) -> leases.report(own(r), b));
    e.post("/leases/{pass}/intent", "A tug says what it may write", Need.CARRY, Need.KEEP)
        .longest(Endpoints.LIST_BODY)
        .takes(LeaseIntent.class)
        .does((r, b) -> leases.intent(own(r), b));
    e.post("/leases/{pass}/open", "A tug asks for what a disk is written to", Need.CARRY, Need.KEEP)
        .takes(LeaseOpen.class)
        .gives(LeaseOpened.class, (r, b) -> leases.open(own(r), b));
    e.post("/leases/{pass}/done", "A tug has finished a disk", Need.CARRY, Need.KEEP)
        .takes(LeaseDone.class)
        .does((r, b) -> leases.done(own(r), b));
    e.post("/leases/{pass}/failed", "A tug gives a lease up", Need.CARRY, Need.KEEP)
        .takes(LeaseFailed.class)
        .does((r, b) -> leases.failed(own(r), b));
  }

  private static String reader(@Nullable String certificate) {
    if (certificate == null) {
      return "";
    }
    if (!certificate.matches("[0-9a-f]{64}")) {
      throw ProblemException.invalid(
          "certificate-malformed",
          "'certificate' is no fingerprint",
          "give the SHA-256 of the certificate, 64 hexadecimal digits");
    }
    return certificate;
  }

  /** The pass of a call, which a tug's own token names only while that tug has it. */
  private String own(Request r) {
    String pass = r.path("pass");
    r.caller()
        .tug()
        .filter(tug -> !leases.isOf(pass, tug))
        .ifPresent(
            tug -> {
              throw new ProblemException(
                  403,
                  "lease-of-another",
                  "the tug " + tug + " has no lease of " + pass,
                  "ask for work");
            });
    return pass;
  }
}
