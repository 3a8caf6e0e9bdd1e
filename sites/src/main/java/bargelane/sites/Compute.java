package bargelane.sites;

import bargelane.blocks.refit.FileEdit;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.MachineFacts;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A site as the side that runs machines. Obligations of every implementation:
 *
 * <ul>
 *   <li>{@link #define} makes a machine that is off; the same name and owner again gives the one
 *       that is there.
 *   <li>A fenced machine can't be started by anybody until the fence is taken away.
 *   <li>{@link #stop} returns when the guest no longer writes and its writes are on its disks.
 *   <li>An isolated network reaches nothing else; {@link #wayIn} leads to a machine on one all the
 *       same.
 * </ul>
 */
public interface Compute {

  /**
   * A machine to define. Disks are volumes in boot order.
   *
   * @param licence how its system is licensed there; empty where that is not said
   * @param project that owns it; empty for the site's own choice
   * @param identity that it runs under; empty for none
   * @param sockets in which its processors are arranged, of which they are a multiple; 0 for the
   *     site's own choice
   * @param bootProtection whether only a signed system is started
   * @param probePort the port by which it is seen that it does its work; 0 for the first that it
   *     serves
   */
  record Spec(
      String name,
      String owner,
      String size,
      int cpus,
      long memoryMib,
      String os,
      String firmware,
      String zone,
      String licence,
      String project,
      String identity,
      int sockets,
      boolean bootProtection,
      List<String> disks,
      List<PlacedNic> nics,
      List<Ingress> ingress,
      int probePort,
      Map<String, String> labels) {}

  /**
   * Where a machine's service answers, as seen from here.
   *
   * @param direct whether it is the guest who accepts a connection, and nobody on the way
   */
  record WayIn(String host, int port, boolean direct) {}

  /** Makes a machine and gives its id. */
  String define(Spec spec);

  /** One machine as it is now. */
  MachineFacts machine(String id);

  void start(String id);

  void stop(String id);

  void fence(String id);

  void unfence(String id);

  /** Removes a machine, not its disks. */
  void remove(String id);

  /** Gives a machine that is off other disks. */
  void attach(String id, List<String> disks);

  /**
   * Edits files inside volumes that no running machine has, through a yard at the site that writes
   * with the file systems' own drivers. Each file is checked before and after; edits that are there
   * already are passed over. The yard, should it be a machine, has this name and owner and is gone
   * when this returns. Gives what it told.
   *
   * @param disks the machine's volumes in boot order, by which the edits count
   */
  String refit(String name, String owner, List<String> disks, List<FileEdit> edits);

  /**
   * Starts the yard that a later {@link #refit} or {@link #look} of the same name and owner will
   * use, so that its start is not waited for then. It is a machine that whoever prepares it has to
   * see gone should it not be used. Where a yard is no machine nothing happens.
   */
  default void prepareYard(String name, String owner) {}

  /** Whether {@link #look} can be asked here. */
  default boolean looks() {
    return false;
  }

  /**
   * Copies the files that a refit decides by out of file systems that only the kernel's own drivers
   * read, through a yard as {@link #refit} has one. A journal that was not replayed is, so the
   * disks have to be clones.
   *
   * @param disks the machine's volumes in boot order
   * @param places the disks and partitions to look at, as {@code 0/2}; logical volumes are looked
   *     at all
   * @param onto a volume that is written as {@link bargelane.blocks.layout.CopiedFiles} reads it
   */
  default void look(
      String name, String owner, List<String> disks, List<String> places, String onto) {
    throw new UnsupportedOperationException();
  }

  /** Sets a machine's owner tag; the empty one makes it the site's own. */
  void ownMachine(String id, String owner);

  /**
   * How to reach a running machine.
   *
   * @param port of the guest; 0 for the one that it was defined to be probed at
   */
  WayIn wayIn(String id, int port);

  /** Sets what a machine lets in, on a platform that filters. */
  default void letIn(String id, List<Ingress> rules) {
    throw new UnsupportedOperationException();
  }

  /**
   * Whether a connection over TCP that comes from outside gets through to a running machine. It is
   * made, and not worked out from rules.
   *
   * @param to an address of the machine
   * @param from the address that the connection comes from
   * @return empty where the platform offers no way to make one
   */
  default Optional<Boolean> reached(String to, int port, String from) {
    return Optional.empty();
  }

  /**
   * The end of what a machine wrote to its serial console since it was started last.
   *
   * @param most bytes at most
   * @return empty where the site keeps no console of it
   */
  Optional<byte[]> console(String id, int most);

  /** Makes an isolated network with the addresses of a subnet and gives its id. */
  String isolate(String name, String like, String owner);

  void removeNetwork(String id);
}
