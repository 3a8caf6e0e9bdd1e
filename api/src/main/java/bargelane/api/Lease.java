package bargelane.api;

import java.util.List;

/** Work given to a tug, to be renewed by reports within {@code seconds}. */
public record Lease(
    String pass, long epoch, int seconds, String kind, boolean verify, List<LeaseDisk> disks) {}
