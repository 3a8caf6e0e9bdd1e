package bargelane.service.wave;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** Machines that share one point in time. */
@Entity
@Table(name = "tow")
public class TowEntity {

  @Id public String id;

  @Column(name = "wave_id")
  public String waveId;

  public boolean landed;

  @JdbcTypeCode(SqlTypes.JSON)
  public String divergence;

  public boolean diverged;
}
