package bargelane.service.assess;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.time.Instant;

/** The size that was accepted for a machine at a target, and of which revision. */
@Entity
@Table(name = "size_choice")
@IdClass(SizeChoiceEntity.Key.class)
public class SizeChoiceEntity {

  /** Which machine at which target. */
  public record Key(String machineId, String targetSiteId) implements Serializable {}

  @Id
  @Column(name = "machine_id")
  public String machineId;

  @Id
  @Column(name = "target_site_id")
  public String targetSiteId;

  @Column(name = "assessment_id")
  public String assessmentId;

  public int revision;

  public String basis;

  public String size;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;
}
