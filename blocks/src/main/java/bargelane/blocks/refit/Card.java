package bargelane.blocks.refit;

import java.util.List;

/**
 * One network card of a guest, before and after a move.
 *
 * @param mac its hardware address, which the other side keeps; empty if it is not known
 * @param names what the guest itself calls what has this hardware address: the card, and a bridge
 *     or a bond that may have taken it over; empty if it does not tell
 * @param from the address that the guest has; empty if it is not known
 * @param to the address that it is to have; empty if nobody plans one
 * @param prefix length of the new network's prefix, in bits
 * @param mask the same as a mask; empty for IPv6
 * @param gateway of the new network
 */
public record Card(
    String mac,
    List<String> names,
    String from,
    String to,
    int prefix,
    String mask,
    String gateway) {

  /** Whether its address changes. */
  public boolean moves() {
    return !from.isEmpty() && !to.isEmpty() && !from.equals(to);
  }
}
