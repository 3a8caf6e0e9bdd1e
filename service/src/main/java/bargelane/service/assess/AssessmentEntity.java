package bargelane.service.assess;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** An assessment; never changed once made. */
@Entity
@Table(name = "assessment")
public class AssessmentEntity {

  @Id public String id;

  @Column(name = "target_site_id")
  public String targetSiteId;

  public Instant at;

  @JdbcTypeCode(SqlTypes.JSON)
  public String body;
}
