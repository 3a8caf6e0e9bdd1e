package bargelane.service.replication;

import java.util.List;

/**
 * Where a machine stands, or can stand, at a site.
 *
 * @param platformId the machine there
 * @param disks its volumes in boot order
 * @param previous the volumes it had before the last landing there; kept until the move is settled
 */
public record Berth(String platformId, List<String> disks, List<String> previous) {}
