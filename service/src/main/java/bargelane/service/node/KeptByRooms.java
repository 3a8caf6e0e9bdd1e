package bargelane.service.node;

import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory.Usage;
import bargelane.service.connection.Connections;
import bargelane.service.guest.GuestSink;
import bargelane.service.usage.GuestUsage;
import java.util.List;
import org.hibernate.Session;

/** What guests tell goes to the rooms that keep it. */
public final class KeptByRooms implements GuestSink {

  @Override
  public void looks(Session s, String machine, String site, List<Usage> looks) {
    GuestUsage.add(s, machine, site, looks);
  }

  @Override
  public void connections(Session s, String observer, List<Conversation> seen) {
    Connections.seen(s, observer, seen);
  }
}
