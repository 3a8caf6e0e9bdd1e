package bargelane.service.lane;

import jakarta.persistence.AttributeOverride;
import jakarta.persistence.Column;
import jakarta.persistence.Embeddable;
import jakarta.persistence.Embedded;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** What the way between a lane's sites carried when it was measured last. */
@Entity
@Table(name = "lane_link")
public class LinkEntity {

  /** One end; times are in microseconds, null where they were not measured. */
  @Embeddable
  public static class End {
    public Long answers;
    public String disks = "";
    public Long delay;
    public String problem = "";
  }

  @Id
  @Column(name = "lane_id")
  public String laneId;

  @Column(name = "measured_at")
  public Instant measuredAt;

  @Embedded
  @AttributeOverride(name = "answers", column = @Column(name = "from_answers"))
  @AttributeOverride(name = "disks", column = @Column(name = "from_disks"))
  @AttributeOverride(name = "delay", column = @Column(name = "from_delay"))
  @AttributeOverride(name = "problem", column = @Column(name = "from_problem"))
  public End from = new End();

  @Embedded
  @AttributeOverride(name = "answers", column = @Column(name = "to_answers"))
  @AttributeOverride(name = "disks", column = @Column(name = "to_disks"))
  @AttributeOverride(name = "delay", column = @Column(name = "to_delay"))
  @AttributeOverride(name = "problem", column = @Column(name = "to_problem"))
  public End to = new End();

  /** Bytes a second; null where they were not measured. */
  public Long there;

  public Long back;
}
