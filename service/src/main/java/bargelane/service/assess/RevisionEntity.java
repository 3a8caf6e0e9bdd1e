package bargelane.service.assess;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A revision of an assessment; never changed once made. */
@Entity
@Table(name = "assessment_revision")
@IdClass(RevisionEntity.Key.class)
public class RevisionEntity {

  /** Which revision of which assessment. */
  public record Key(String assessmentId, int number) implements Serializable {}

  @Id
  @Column(name = "assessment_id")
  public String assessmentId;

  @Id public int number;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;

  public String why;

  /** An {@link bargelane.api.AssumptionsView} with everything said, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String assumptions;

  /** A {@link bargelane.core.assess.Offer} as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String offer;

  /** An {@link bargelane.api.AssessmentView} as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String summary;
}
