package bargelane.service.plan;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;

/** A wave. */
@Entity
@DynamicUpdate
@Table(name = "wave")
public class WaveEntity {

  @Id public String id;

  public String name;

  @Column(name = "created_at")
  public Instant createdAt;
}
