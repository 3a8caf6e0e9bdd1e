package bargelane.service.replication;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.DynamicUpdate;

/** One disk's copy at a leg's target, with its write-intent set. */
@Entity
@DynamicUpdate
@Table(name = "replica")
public class ReplicaEntity {

  /** The volume that belongs to another as its digests. */
  public static String digestsOf(String volume) {
    return volume + "-digests";
  }

  @Id public String id;

  @Column(name = "leg_id")
  public String legId;

  @Column(name = "member_id")
  public String memberId;

  public int disk;

  public String volume;

  /** The volume of its digests; empty if it has none yet. */
  public String digests = "";

  public String storage;

  /**
   * The key that the lane's target encrypts the disk with; empty for the target's own way. It is
   * kept on the way back too, for the next way out.
   */
  @Column(name = "disk_key")
  public String key = "";

  public long bytes;

  public String intent;

  public boolean anywhere;

  public boolean blank;

  /** The key of what is made for the disk at a side. */
  public String keyAt(Side side) {
    return side == Side.AWAY ? key : "";
  }

  /** A replica of a disk that nothing was written to yet. */
  public static ReplicaEntity blank(String leg, MemberEntity m, int disk, long bytes) {
    ReplicaEntity r = new ReplicaEntity();
    r.legId = leg;
    r.memberId = m.id;
    r.disk = disk;
    r.bytes = bytes;
    r.intent = "";
    r.blank = true;
    return r;
  }
}
