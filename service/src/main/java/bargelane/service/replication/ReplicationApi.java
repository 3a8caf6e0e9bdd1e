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
import bargelane.service.http.Endpoints;

/** Endpoints of timetables, and those that tugs call. */
public record ReplicationApi(Timetables timetables, Leases leases, Tugs tugs)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/timetables", "List timetables").lists(TimetableView.class, r -> timetables.list());
    e.post("/timetables", "Add a timetable")
        .takes(TimetableAdd.class)
        .creates(TimetableView.class, (r, b) -> timetables.add(b));
    e.put("/timetables/{timetable}", "Change a timetable; what is left out stays")
        .takes(TimetableEdit.class)
        .gives(TimetableView.class, (r, b) -> timetables.edit(r.path("timetable"), b));
    e.get("/tugs", "Tugs that ask for work").lists(TugView.class, r -> tugs.list());
    e.post("/leases", "A tug asks for work")
        .takes(LeaseTake.class)
        .maybe(
            Lease.class,
            (r, b) -> {
              tugs.asks(String.valueOf(b.tug()), b.version());
              return leases.take(
                  String.valueOf(b.tug()), b.waitSeconds() == null ? 0 : b.waitSeconds());
            });
    e.post("/leases/{pass}/report", "A tug reports progress")
        .takes(LeaseReport.class)
        .does((r, b) -> leases.report(r.path("pass"), b));
    e.post("/leases/{pass}/intent", "A tug says what it may write")
        .takes(LeaseIntent.class)
        .does((r, b) -> leases.intent(r.path("pass"), b));
    e.post("/leases/{pass}/open", "A tug asks for what a disk is written to")
        .takes(LeaseOpen.class)
        .gives(LeaseOpened.class, (r, b) -> leases.open(r.path("pass"), b));
    e.post("/leases/{pass}/done", "A tug has finished a disk")
        .takes(LeaseDone.class)
        .does((r, b) -> leases.done(r.path("pass"), b));
    e.post("/leases/{pass}/failed", "A tug gives a lease up")
        .takes(LeaseFailed.class)
        .does((r, b) -> leases.failed(r.path("pass"), b));
  }
}
