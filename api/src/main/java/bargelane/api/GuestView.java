package bargelane.api;

import java.time.Instant;
import java.util.List;

/** What an agent in a machine's guest told of it, and when. */
public record GuestView(
    String hostname,
    String os,
    String kernel,
    List<MountView> fileSystems,
    List<CardView> cards,
    Instant readAt) {

  /** A mounted file system; bytes are 0 where they were not told. */
  public record MountView(String mount, String type, long bytes, long used) {}

  /** A network card by the guest's name of it. */
  public record CardView(String name, String mac, List<String> addresses) {}
}
