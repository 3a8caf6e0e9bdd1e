package bargelane.service.assess;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** An assessment: whom it is about, and for which target. Its figures are in its revisions. */
@Entity
@Table(name = "assessment")
public class AssessmentEntity {

  @Id public String id;

  public String name;

  public String filter;

  /** Names of machines, as JSON; none where it goes by a filter. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String machines;

  /** Null where a price book describes the target. */
  @Column(name = "target_site_id")
  public String targetSiteId;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;
}
