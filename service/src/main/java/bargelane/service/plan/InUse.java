package bargelane.service.plan;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.service.connection.AddressClients;
import bargelane.text.Counts;

/** What is said of an address that changes and that others use. */
final class InUse {

  private InUse() {}

  static Finding finding(
      String machine, String lane, String former, String next, AddressClients.Count of) {
    return new Finding(
        Code.ADDRESS_IN_USE,
        machine + ", address " + former,
        Counts.of(of.clients(), "client connects", "clients connect")
            + " to "
            + former
            + " (port "
            + String.join(", ", of.ports().stream().map(String::valueOf).toList())
            + "), which "
            + (next.isEmpty() ? "changes" : "becomes " + next),
        Remedy.of("have it changed at each of them", Action.LANE_CLIENTS, lane),
        Who.ENGINEER);
  }
}
