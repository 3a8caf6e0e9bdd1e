package bargelane.service.guest;

import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory.Usage;
import java.util.List;
import org.hibernate.Session;

/** Where what guests tell over time goes: their counters and their connections. */
public interface GuestSink {

  /** Counters of a machine in the order of their instants, in the caller's transaction. */
  void looks(Session s, String machine, String site, List<Usage> looks);

  /** Connections that an observer saw, in the caller's transaction. */
  void connections(Session s, String observer, List<Conversation> seen);
}
